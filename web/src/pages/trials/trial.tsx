import { decimals } from "../../languages/figures";
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useRef, useState } from "react";
import { toast } from "sonner";
import { timeWords } from "../../data/times";
import {
  percent,
  useDeleteTrial,
  useResumeTrial,
  useStopTrial,
  useTrial,
  type Trial,
} from "../../data/trials";
import { Button, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { save, savePNG, saveSVG } from "../../parts/save";
import { Cell } from "./cell";
import { Distributions, figure, Rates } from "./drawings";
import { stateOf } from "./entrytrials";
import { Grid } from "./grid";

/** A trial: what it says, its drawing, and the grid that opens into its replies. */
export function TrialPage() {
  const { id } = useParams({ strict: false }) as { id: string };
  const read = useTrial(id);
  const [at, setAt] = useState<{ fill: number; setUp: number } | null>(null);
  if (read.error) return <Trouble error={read.error} title={t`This trial cannot be shown`} />;
  if (!read.data) return <Waiting lines={10} />;
  const trial = read.data;
  return (
    <>
      <Head trial={trial} />
      <Sentences trial={trial} />
      <Drawing trial={trial} />
      <Grid trial={trial} open={(fill, setUp) => setAt({ fill, setUp })} />
      <Distributions trial={trial} />
      <People trial={trial} />
      {at && <Cell trial={trial} fill={at.fill} setUp={at.setUp} close={() => setAt(null)} />}
    </>
  );
}

function Head({ trial }: { trial: Trial }) {
  const stop = useStopTrial(trial.id);
  const resume = useResumeTrial(trial.id);
  const drop = useDeleteTrial(trial.id);
  const navigate = useNavigate();
  const [asking, setAsking] = useState(false);
  return (
    <header className="mb-6">
      <div className="flex flex-wrap items-start gap-3">
        <div className="min-w-0 flex-1 max-sm:basis-full">
          <h1 className="text-title max-sm:text-head">{trial.title}</h1>
          <p className="text-faded" role="status">
            {trial.private ? t`Replies to each row, of` : t`A trial of`}{" "}
            <Link
              to="/entries/$slug/trials"
              params={{ slug: trial.slug }}
              className="font-semibold text-gold hover:underline"
            >
              {trial.slug}
            </Link>{" "}
            · {sizeOf(trial)} · {stateOf(trial)} · {timeWords(trial.at)}
            {trial.by && ` · ${trial.by}`}
            {trial.cost !== undefined && ` · ${figure(trial.cost)} ${trial.currency}`}
          </p>
        </div>
        {trial.may_change && trial.state === "running" && (
          <Button onClick={() => stop.mutate(undefined)}>
            <Trans>Stop</Trans>
          </Button>
        )}
        {trial.may_change && trial.state === "stopped" && (
          <Button onClick={() => resume.mutate(false)}>
            <Trans>Go on</Trans>
          </Button>
        )}
        {trial.may_change && trial.failed > 0 && (
          <Button onClick={() => resume.mutate(true)}>
            <Trans>Ask again for what failed</Trans>
          </Button>
        )}
        {trial.set_ups.length > 1 && trial.done > 0 && (
          <Link
            to="/trials/$id/compare"
            params={{ id: trial.id }}
            className="inline-flex items-center rounded-field border border-line bg-leaf px-4 py-2 font-semibold whitespace-nowrap hover:bg-wash"
          >
            <Trans>Compare blind</Trans>
          </Link>
        )}
        {trial.may_change && (
          <Button onClick={() => setAsking(true)}>
            <Trans>Delete</Trans>
          </Button>
        )}
      </div>
      <Trouble error={stop.error ?? resume.error} />
      <Dialog open={asking} onOpen={setAsking} title={t`Delete this trial`}>
        <p className="mb-4">
          <Trans>Its replies, and what people said of them, are gone for good.</Trans>
        </p>
        <Trouble error={drop.error} title={t`It is still there`} />
        <Button
          weight="main"
          disabled={drop.isPending}
          onClick={() =>
            drop.mutate(undefined, {
              onSuccess: () => {
                toast.success(t`The trial is gone`);
                void navigate({ to: "/entries/$slug/trials", params: { slug: trial.slug } });
              },
            })
          }
        >
          <Trans>Delete for good</Trans>
        </Button>
      </Dialog>
    </header>
  );
}

function sizeOf(trial: Trial): string {
  if (trial.private) return plural(trial.fills, { one: "# row", other: "# rows" });
  const fills = plural(trial.fills, { one: "# fill", other: "# fills" });
  const setUps = plural(trial.set_ups.length, { one: "# set-up", other: "# set-ups" });
  return `${fills} × ${setUps} × ${trial.plan.times}`;
}

const signs = { difference: "≠", "no-difference": "=", "too-few": "?" } as const;
const verdicts = {
  difference: t`a difference`,
  "no-difference": t`no difference that matters`,
  "too-few": t`too few to tell`,
} as const;

function Sentences({ trial }: { trial: Trial }) {
  const [all, setAll] = useState(false);
  if (trial.sentences.length === 0 && !trial.changes?.length) return null;
  const telling = trial.sentences.filter((s) => s.verdict !== "too-few");
  const shown = all ? trial.sentences : telling.length > 0 ? telling : trial.sentences.slice(0, 1);
  const rest = trial.sentences.length - shown.length;
  return (
    <section aria-label={t`What it says`} className="mb-7">
      {trial.again && (
        <p className="mb-2 text-small text-faded">
          <Trans>
            Beside{" "}
            <Link
              to="/trials/$id"
              params={{ id: trial.again }}
              className="font-semibold text-gold hover:underline"
            >
              the trial that it runs again
            </Link>
            :
          </Trans>
        </p>
      )}
      <ul className="flex flex-col gap-1.5">
        {trial.changes?.map((c) => (
          <Said key={`since ${c.set_up}`} verdict={c.verdict}>
            {c.text}{" "}
            <span className="text-faded">
              <Trans>
                {percent(c.before)} before, {percent(c.now)} now.
              </Trans>
            </span>
          </Said>
        ))}
        {shown.map((s) => (
          <Said key={s.text} verdict={s.verdict}>
            {s.text}
          </Said>
        ))}
      </ul>
      {rest > 0 && (
        <Button weight="text" className="mt-1 text-small" onClick={() => setAll(true)}>
          <Trans>And {rest} more</Trans>
        </Button>
      )}
    </section>
  );
}

function Said({ verdict, children }: { verdict: keyof typeof signs; children: React.ReactNode }) {
  return (
    <li className="flex gap-3">
      <span
        aria-label={verdicts[verdict]}
        role="img"
        className={`mt-0.5 inline-flex size-5 shrink-0 items-center justify-center rounded-full text-small font-bold ${verdict === "difference" ? "bg-gold text-on-gold" : "border border-line bg-leaf text-faded"}`}
      >
        {signs[verdict]}
      </span>
      <span>{children}</span>
    </li>
  );
}

function Drawing({ trial }: { trial: Trial }) {
  const drawing = useRef<SVGSVGElement>(null);
  if (trial.says.length === 0) return <Files trial={trial} />;
  if (trial.figures.rates.every((r) => r.of === 0)) return null;
  const name = `trial-of-${trial.slug}`;
  const link = "font-semibold text-gold hover:underline";
  return (
    <section aria-labelledby="rates" className="mb-8">
      <h2 id="rates" className="mb-2 border-b-2 border-gilt pb-1 text-lead">
        <Trans>How often replies hold to what is expected</Trans>
      </h2>
      <div
        className="overflow-x-auto"
        tabIndex={0}
        role="region"
        aria-label={t`How often replies hold to what is expected, drawn`}
      >
        <Rates trial={trial} ref={drawing} />
      </div>
      <p className="mt-2 flex flex-wrap gap-4 text-small">
        <span className="text-faded">
          <Trans>Download:</Trans>
        </span>
        <a className={link} href={`/api/v1/trials/${trial.id}/replies`} download>
          <Trans>replies as CSV</Trans>
        </a>
        <button
          type="button"
          className={link}
          onClick={() =>
            save(new Blob([JSON.stringify(trial, null, 2)], { type: "application/json" }), `${name}.json`)
          }
        >
          <Trans>figures as JSON</Trans>
        </button>
        <button
          type="button"
          className={link}
          onClick={() => drawing.current && saveSVG(drawing.current, `${name}.svg`)}
        >
          <Trans>drawing as SVG</Trans>
        </button>
        <button
          type="button"
          className={link}
          onClick={() => drawing.current && void savePNG(drawing.current, `${name}.png`)}
        >
          <Trans>drawing as PNG</Trans>
        </button>
      </p>
    </section>
  );
}

/** Replies without expectations: their texts are what is wanted. */
function Files({ trial }: { trial: Trial }) {
  const link = "font-semibold text-gold hover:underline";
  return (
    <p className="mb-6 flex flex-wrap gap-4">
      {trial.private && (
        <span className="text-faded">
          <Trans>Only you see them, for 30 days.</Trans>
        </span>
      )}
      <a className={link} href={`/api/v1/trials/${trial.id}/replies`} download>
        <Trans>Download them as a table</Trans>
      </a>
      <a className={link} href={`/api/v1/trials/${trial.id}/replies?as=zip`} download>
        <Trans>A file each</Trans>
      </a>
    </p>
  );
}

/** How prompts that judge agree with people, and what people found better without knowing whose it was. */
function People({ trial }: { trial: Trial }) {
  const p = trial.preference;
  if (!p && !trial.judges?.length) return null;
  return (
    <section aria-labelledby="people" className="mb-8 flex flex-col gap-2">
      <h2 id="people" className="border-b-2 border-gilt pb-1 text-lead">
        <Trans>People</Trans>
      </h2>
      {trial.judges?.map((j) => (
        <p key={j.expectation}>
          <Trans>
            <b>{j.prompt}</b> judges.
          </Trans>{" "}
          {j.kappa
            ? t`On the ${j.marked} replies that people marked as well, its agreement with them is ${decimals(j.kappa.value, 2)} (Cohen’s kappa; 95 %: ${decimals(j.kappa.interval.low, 2)} to ${decimals(j.kappa.interval.high, 2)}).`
            : t`People have marked ${j.marked} of the same replies: too few, or too much alike, to say how far it agrees with them.`}
        </p>
      ))}
      {p && (
        <p>
          <Trans>
            Blind, {plural(p.people, { one: "one person", other: "# people" })} found {p.first} better{" "}
            {p.for_first} times, {p.second} {p.for_second} times, and neither {p.neither} times:{" "}
            {percent(p.share)} for {p.first} (95 %: {percent(p.interval.low)} to {percent(p.interval.high)}).
          </Trans>
          {p.alpha &&
            t` They agree among themselves by ${decimals(p.alpha.value, 2)} (Krippendorff’s alpha; 95 %: ${decimals(p.alpha.interval.low, 2)} to ${decimals(p.alpha.interval.high, 2)}).`}
        </p>
      )}
    </section>
  );
}
