import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useLabels } from "../../data/hooks";
import { type Period, type Wanted } from "../../data/stocktake";
import { dateWords, timeWords } from "../../data/times";
import { fieldLook } from "../../parts/basics";

/** Which weeks the figures are of and, where that makes a difference, whose uses. */
export function Choose({
  weeks,
  setWeeks,
  wanted,
  setWanted,
}: {
  weeks: number;
  setWeeks: (n: number) => void;
  wanted?: Wanted;
  setWanted?: (w: Wanted) => void;
}) {
  const facets = useLabels().data ?? [];
  return (
    <div className="flex flex-wrap gap-3 print:hidden">
      <select
        aria-label={t`Weeks`}
        className={`${fieldLook} !w-auto`}
        value={weeks}
        onChange={(e) => setWeeks(Number(e.target.value))}
      >
        <option value={4}>
          <Trans>4 weeks</Trans>
        </option>
        <option value={13}>
          <Trans>13 weeks</Trans>
        </option>
        <option value={26}>
          <Trans>26 weeks</Trans>
        </option>
        <option value={52}>
          <Trans>52 weeks</Trans>
        </option>
      </select>
      {wanted &&
        setWanted &&
        (["department", "application"] as const).map((facet) => (
          <select
            key={facet}
            aria-label={facet === "department" ? t`Used by` : t`Used for`}
            className={`${fieldLook} !w-auto`}
            value={wanted[facet] ?? ""}
            onChange={(e) => setWanted({ ...wanted, [facet]: e.target.value || undefined })}
          >
            <option value="">{facet === "department" ? t`By everyone` : t`For all applications`}</option>
            {facets
              .find((f) => f.name === facet)
              ?.terms.map((t) => (
                <option key={t.name} value={t.name}>
                  {t.title}
                </option>
              ))}
          </select>
        ))}
    </div>
  );
}

/** What figures are of, in words. */
export function Of({ period }: { period: Period }) {
  return (
    <p className="text-small text-faded">
      <Trans>
        {period.weeks} weeks, {dateWords(period.since)} to {dateWords(period.until)}. Uses are counted until{" "}
        {timeWords(period.as_of)}.
      </Trans>
    </p>
  );
}
