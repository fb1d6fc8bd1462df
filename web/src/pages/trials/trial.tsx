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
  const trial = useTrial(id);
  const [at, setAt] = useState<{ fill: number; setUp: number } | null>(null);
  if (trial.error) return <Trouble error={trial.error} title="This trial cannot be shown" />;
  if (!trial.data) return <Waiting lines={10} />;
  const t = trial.data;
  return (
    <>
      <Head trial={t} />
      <Sentences trial={t} />
      <Drawing trial={t} />
      <Grid trial={t} open={(fill, setUp) => setAt({ fill, setUp })} />
      <Distributions trial={t} />
      <People trial={t} />
      {at && <Cell trial={t} fill={at.fill} setUp={at.setUp} close={() => setAt(null)} />}
    </>
  );
}

function Head({ trial: t }: { trial: Trial }) {
  const stop = useStopTrial(t.id);
  const resume = useResumeTrial(t.id);
  const drop = useDeleteTrial(t.id);
  const navigate = useNavigate();
  const [asking, setAsking] = useState(false);
  return (
    <header className="mb-6">
      <div className="flex flex-wrap items-start gap-3">
        <div className="min-w-0 flex-1 max-sm:basis-full">
          <h1 className="text-title max-sm:text-head">{t.title}</h1>
          <p className="text-faded" role="status">
            {t.private ? "Replies to each row, of" : "A trial of"}{" "}
            <Link
              to="/entries/$slug/trials"
              params={{ slug: t.slug }}
              className="font-semibold text-gold hover:underline"
            >
              {t.slug}
            </Link>{" "}
            · {sizeOf(t)} · {stateOf(t)} · {timeWords(t.at)}
            {t.by && ` · ${t.by}`}
            {t.cost !== undefined && ` · ${figure(t.cost)} ${t.currency}`}
          </p>
        </div>
        {t.may_change && t.state === "running" && (
          <Button onClick={() => stop.mutate(undefined)}>Stop</Button>
        )}
        {t.may_change && t.state === "stopped" && <Button onClick={() => resume.mutate(false)}>Go on</Button>}
        {t.may_change && t.failed > 0 && (
          <Button onClick={() => resume.mutate(true)}>Ask again for what failed</Button>
        )}
        {t.set_ups.length > 1 && t.done > 0 && (
          <Link
            to="/trials/$id/compare"
            params={{ id: t.id }}
            className="inline-flex items-center rounded-field border border-line bg-leaf px-4 py-2 font-semibold whitespace-nowrap hover:bg-wash"
          >
            Compare blind
          </Link>
        )}
        {t.may_change && <Button onClick={() => setAsking(true)}>Delete</Button>}
      </div>
      <Trouble error={stop.error ?? resume.error} />
      <Dialog open={asking} onOpen={setAsking} title="Delete this trial">
        <p className="mb-4">Its replies, and what people said of them, are gone for good.</p>
        <Trouble error={drop.error} title="It is still there" />
        <Button
          weight="main"
          disabled={drop.isPending}
          onClick={() =>
            drop.mutate(undefined, {
              onSuccess: () => {
                toast.success("The trial is gone");
                void navigate({ to: "/entries/$slug/trials", params: { slug: t.slug } });
              },
            })
          }
        >
          Delete for good
        </Button>
      </Dialog>
    </header>
  );
}

function sizeOf(t: Trial): string {
  const many = (n: number, what: string) => `${n} ${what}${n === 1 ? "" : "s"}`;
  if (t.private) return many(t.fills, "row");
  return `${many(t.fills, "fill")} × ${many(t.set_ups.length, "set-up")} × ${t.plan.times}`;
}

const signs = { difference: "≠", "no-difference": "=", "too-few": "?" } as const;
const verdicts = {
  difference: "a difference",
  "no-difference": "no difference that matters",
  "too-few": "too few to tell",
} as const;

function Sentences({ trial: t }: { trial: Trial }) {
  const [all, setAll] = useState(false);
  if (t.sentences.length === 0 && !t.changes?.length) return null;
  const telling = t.sentences.filter((s) => s.verdict !== "too-few");
  const shown = all ? t.sentences : telling.length > 0 ? telling : t.sentences.slice(0, 1);
  const rest = t.sentences.length - shown.length;
  return (
    <section aria-label="What it says" className="mb-7">
      {t.again && (
        <p className="mb-2 text-small text-faded">
          Beside{" "}
          <Link to="/trials/$id" params={{ id: t.again }} className="font-semibold text-gold hover:underline">
            the trial that it runs again
          </Link>
          :
        </p>
      )}
      <ul className="flex flex-col gap-1.5">
        {t.changes?.map((c) => (
          <Said key={`since ${c.set_up}`} verdict={c.verdict}>
            {c.text}{" "}
            <span className="text-faded">
              {percent(c.before)} before, {percent(c.now)} now.
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
          And {rest} more
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

function Drawing({ trial: t }: { trial: Trial }) {
  const drawing = useRef<SVGSVGElement>(null);
  if (t.says.length === 0) return <Files trial={t} />;
  if (t.figures.rates.every((r) => r.of === 0)) return null;
  const name = `trial-of-${t.slug}`;
  const link = "font-semibold text-gold hover:underline";
  return (
    <section aria-labelledby="rates" className="mb-8">
      <h2 id="rates" className="mb-2 border-b-2 border-gilt pb-1 text-lead">
        How often replies hold to what is expected
      </h2>
      <div
        className="overflow-x-auto"
        tabIndex={0}
        role="region"
        aria-label="How often replies hold to what is expected, drawn"
      >
        <Rates trial={t} ref={drawing} />
      </div>
      <p className="mt-2 flex flex-wrap gap-4 text-small">
        <span className="text-faded">Download:</span>
        <a className={link} href={`/api/v1/trials/${t.id}/replies`} download>
          replies as CSV
        </a>
        <button
          type="button"
          className={link}
          onClick={() =>
            save(new Blob([JSON.stringify(t, null, 2)], { type: "application/json" }), `${name}.json`)
          }
        >
          figures as JSON
        </button>
        <button
          type="button"
          className={link}
          onClick={() => drawing.current && saveSVG(drawing.current, `${name}.svg`)}
        >
          drawing as SVG
        </button>
        <button
          type="button"
          className={link}
          onClick={() => drawing.current && void savePNG(drawing.current, `${name}.png`)}
        >
          drawing as PNG
        </button>
      </p>
    </section>
  );
}

/** Replies without expectations: their texts are what is wanted. */
function Files({ trial: t }: { trial: Trial }) {
  const link = "font-semibold text-gold hover:underline";
  return (
    <p className="mb-6 flex flex-wrap gap-4">
      {t.private && <span className="text-faded">Only you see them, for 30 days.</span>}
      <a className={link} href={`/api/v1/trials/${t.id}/replies`} download>
        Download them as a table
      </a>
      <a className={link} href={`/api/v1/trials/${t.id}/replies?as=zip`} download>
        A file each
      </a>
    </p>
  );
}

/** How prompts that judge agree with people, and what people found better without knowing whose it was. */
function People({ trial: t }: { trial: Trial }) {
  const p = t.preference;
  if (!p && !t.judges?.length) return null;
  return (
    <section aria-labelledby="people" className="mb-8 flex flex-col gap-2">
      <h2 id="people" className="border-b-2 border-gilt pb-1 text-lead">
        People
      </h2>
      {t.judges?.map((j) => (
        <p key={j.expectation}>
          <b>{j.prompt}</b> judges.{" "}
          {j.kappa
            ? `On the ${j.marked} replies that people marked as well, its agreement with them is ${j.kappa.value.toFixed(2)} (Cohen’s kappa; 95 %: ${j.kappa.interval.low.toFixed(2)} to ${j.kappa.interval.high.toFixed(2)}).`
            : `People have marked ${j.marked} of the same replies: too few, or too much alike, to say how far it agrees with them.`}
        </p>
      ))}
      {p && (
        <p>
          Blind, {p.people === 1 ? "one person" : `${p.people} people`} found {p.first} better {p.for_first}{" "}
          times, {p.second} {p.for_second} times, and neither {p.neither} times: {percent(p.share)} for{" "}
          {p.first} (95 %: {percent(p.interval.low)} to {percent(p.interval.high)}).
          {p.alpha &&
            ` They agree among themselves by ${p.alpha.value.toFixed(2)} (Krippendorff’s alpha; 95 %: ${p.alpha.interval.low.toFixed(2)} to ${p.alpha.interval.high.toFixed(2)}).`}
        </p>
      )}
    </section>
  );
}
