import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useStyleFigures } from "../../data/voices";

/** What is measured of a style in a few lines, with the way to all of it. */
export function HowItReads({ slug }: { slug: string }) {
  const figures = useStyleFigures(slug).data;
  if (!figures) return null;
  return (
    <section aria-labelledby="how-it-reads" className="mt-10">
      <h2 id="how-it-reads" className="mb-3 border-b-2 border-gilt pb-1 text-lead">
        <Trans>How it reads</Trans>
      </h2>
      <ul className="mb-2 grid gap-x-8 gap-y-1 sm:grid-cols-2">
        {figures.guide.slice(0, 6).map((l) => (
          <li key={l.figure}>{l.text}</li>
        ))}
      </ul>
      <Link to="/entries/$slug/voice" params={{ slug }} className="font-semibold text-gold hover:underline">
        {figures.samples === 0 ? t`It has no samples yet` : t`All figures, and set a text beside it`}
      </Link>
    </section>
  );
}
