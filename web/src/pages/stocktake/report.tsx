import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useSearch } from "@tanstack/react-router";
import { Download, Printer } from "lucide-react";
import { useState } from "react";
import { reportOf, useReport, weeksOf, type Wanted } from "../../data/stocktake";
import { Button, Trouble, Waiting } from "../../parts/basics";
import { Choose } from "./period";

/** What works, what is missing, what has gone stale and what it costs, as a text to print and to take along. */
export function ReportPage() {
  const given: Wanted = useSearch({ strict: false });
  const [weeks, setWeeks] = useState(13);
  const wanted = given.since ? { since: given.since, until: given.until } : weeksOf(weeks);
  const report = useReport(wanted);
  return (
    <div className="max-w-[760px]">
      <div className="mb-6 flex flex-wrap items-center gap-3 print:hidden">
        {!given.since && <Choose weeks={weeks} setWeeks={setWeeks} />}
        <Button onClick={() => window.print()}>
          <Printer size={15} aria-hidden />
          <Trans>Print</Trans>
        </Button>
        <a
          className="inline-flex items-center gap-2 font-semibold text-gold hover:underline"
          href={reportOf(wanted)}
          download="stocktake.md"
        >
          <Download size={15} aria-hidden />
          {t`As Markdown`}
        </a>
      </div>
      <Trouble error={report.error} title={t`The report cannot be shown`} />
      {report.data ? (
        <article
          className="[&_a]:font-semibold [&_a]:text-gold [&_a:hover]:underline [&_h1]:mb-2 [&_h1]:text-title [&_h2]:mt-7 [&_h2]:mb-2 [&_h2]:border-b-2 [&_h2]:border-gilt [&_h2]:pb-1 [&_h2]:text-lead [&_li]:my-1 [&_ul]:list-disc [&_ul]:ps-5 max-sm:[&_h1]:text-head"
          // The service makes it of Markdown in which no HTML counts.
          dangerouslySetInnerHTML={{ __html: report.data.html }}
        />
      ) : (
        <Waiting lines={12} />
      )}
    </div>
  );
}
