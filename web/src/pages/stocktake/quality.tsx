import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { tableOf, useQuality } from "../../data/stocktake";
import { dateWords } from "../../data/times";
import { Trouble, Waiting } from "../../parts/basics";
import { Card } from "./card";
import { Bars } from "./drawings";

/** How models do with the entries, from trials alone. */
export function QualityPage() {
  const quality = useQuality();
  if (quality.error) return <Trouble error={quality.error} title={t`The figures cannot be shown`} />;
  if (!quality.data) return <Waiting lines={10} />;
  const { items, models } = quality.data;
  const table = tableOf("quality", {});
  const percent = models.map((m) => ({
    name: m.model,
    value: Math.round((100 * m.met) / Math.max(1, m.of)),
  }));
  return (
    <>
      <header className="mb-5">
        <h1 className="text-title max-sm:text-head">
          <Trans>Quality</Trans>
        </h1>
        <p className="text-small text-faded">
          <Trans>
            From the newest trial of each entry with each model, and the one before. A reply counts if it
            meets every expectation.
          </Trans>
        </p>
      </header>
      <div className="grid grid-cols-1 items-start gap-5 wide:grid-cols-[3fr_2fr]">
        <Card title={t`Entries`} says={t`the worst first`} table={table}>
          {items.length === 0 && (
            <p className="px-4 py-3 text-faded">
              <Trans>No trial has ended yet that everyone sees.</Trans>
            </p>
          )}
          <div
            className="relative overflow-x-auto"
            tabIndex={0}
            role="region"
            aria-label={t`Quality in numbers`}
          >
            <table className="w-full text-end tabular-nums">
              <thead>
                <tr className="border-b border-line text-small text-faded">
                  <th className="py-1.5 ps-4 font-semibold">
                    <Trans>Entry</Trans>
                  </th>
                  <th className="px-3 text-start font-semibold">
                    <Trans>Model</Trans>
                  </th>
                  <th className="px-3 font-semibold">
                    <Trans>Before</Trans>
                  </th>
                  <th className="px-3 font-semibold">
                    <Trans>Met</Trans>
                  </th>
                </tr>
              </thead>
              <tbody>
                {items.map((q) => (
                  <tr key={q.slug + q.model} className="border-b border-line last:border-0">
                    <th className="py-1.5 ps-4 font-normal">
                      <Link to="/trials/$id" params={{ id: q.trial }} className="hover:underline">
                        {q.title}
                      </Link>{" "}
                      <span className="text-small text-faded">{dateWords(q.on)}</span>
                    </th>
                    <td className="px-3 text-start">{q.model}</td>
                    <td className="px-3 text-faded">{q.before && t`${q.before.met} of ${q.before.of} →`}</td>
                    <td className="px-3">
                      <Trans>
                        {q.met} of {q.of}
                      </Trans>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        </Card>
        <Card
          title={t`Models`}
          says={t`of 100 replies, so many meet everything`}
          table={table}
          name="models"
          drawn
        >
          <Bars rows={percent} says={percent.map((m) => t`${m.name}: ${m.value} of 100`).join("; ")} />
        </Card>
      </div>
    </>
  );
}
