import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useFitOf } from "../../data/voices";
import { useSettled } from "../../data/settled";
import { Trouble, Waiting } from "../../parts/basics";
import { Fit } from "../entry/fit";

/** How near the text, as it is filled, reads to the style that it recommends. */
export function HowNear({ style, text, language }: { style: string; text: string; language?: string }) {
  const fit = useFitOf(useSettled(text), style, language);
  if (text.trim() === "")
    return (
      <p className="text-faded">
        <Trans>Once there is a text, it is set beside the style here.</Trans>
      </p>
    );
  if (fit.error) return <Trouble error={fit.error} title={t`It cannot be set beside its style`} />;
  if (!fit.data) return <Waiting lines={6} />;
  return (
    <>
      <p className="mb-3 text-small text-faded">
        <Trans>
          The text as filled, beside{" "}
          <Link
            to="/entries/$slug/voice"
            params={{ slug: style }}
            className="font-semibold text-gold hover:underline"
          >
            {style}
          </Link>
          . What the model answers is what counts in the end; a text that reads so asks for it best.
        </Trans>
      </p>
      {fit.data.fit && <Fit fit={fit.data.fit} words={fit.data.measured.words} />}
    </>
  );
}
