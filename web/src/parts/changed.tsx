import { t } from "@lingui/core/macro";
import type { Trend } from "../data/trials";

const looks = {
  worse: ["↓", t`got worse`, "bg-stop text-leaf"],
  better: ["↑", t`better`, "bg-gold text-on-gold"],
  none: ["=", t`no difference that matters`, "border border-line bg-leaf text-faded"],
  "too-few": ["?", t`too few to tell`, "border border-line bg-leaf text-faded"],
} as const;

/** What became of how often replies meet what is expected: a sign and words. */
export function Changed({ change }: { change: Trend }) {
  const [sign, words, look] = looks[change];
  return (
    <span className="inline-flex items-center gap-1.5 text-small">
      <span
        aria-hidden
        className={`inline-flex size-5 items-center justify-center rounded-full font-bold ${look}`}
      >
        {sign}
      </span>
      {words}
    </span>
  );
}
