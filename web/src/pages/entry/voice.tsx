import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { useShelfEntry } from "../../data/hooks";
import { useFit, useStyleFigures, type CharacteristicWord, type Figure } from "../../data/voices";
import { Button, Empty, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";
import { Fit } from "./fit";
import { Samples } from "./samples";
import { TwoStyles } from "./twostyles";

/** How a style reads: what is measured of its samples, and texts set beside it. */
export function VoicePage() {
  const { slug } = useParams({ strict: false }) as { slug: string };
  const entry = useShelfEntry(slug);
  const figures = useStyleFigures(slug);
  if (figures.error) return <Trouble error={figures.error} title="It cannot be measured" />;
  if (!figures.data) return <Waiting lines={12} />;
  const f = figures.data;
  return (
    <>
      <h1 className="text-title max-sm:text-head">How {entry.data?.title ?? slug} reads</h1>
      <p className="mt-1 mb-6 text-faded">
        {f.measured.words.toLocaleString("en-GB")} words in{" "}
        {f.samples === 1 ? "one sample" : `${f.samples} samples`} of{" "}
        <Link to="/entries/$slug" params={{ slug }} className="font-semibold text-gold hover:underline">
          {slug}
        </Link>
        . {f.measured.note}
      </p>
      {f.samples === 0 ? (
        <>
          <Empty title="It has no samples yet">
            Whoever looks after it brings texts that read as it should; then it is measured.
          </Empty>
          <Samples slug={slug} />
        </>
      ) : (
        <div className="grid items-start gap-7 wide:grid-cols-[1fr_320px]">
          <div className="min-w-0">
            <Beside slug={slug} />
            <h2 className="mt-8 mb-1 border-b-2 border-gilt pb-1 text-lead">Figures</h2>
            <Figures all={f.measured.figures} />
          </div>
          <div className="flex flex-col gap-6">
            <section aria-labelledby="guide">
              <h2 id="guide" className="mb-2 text-lead">
                In plain words
              </h2>
              <ul className="flex flex-col gap-1.5">
                {f.guide.map((l) => (
                  <li key={l.figure}>{l.text}</li>
                ))}
              </ul>
            </section>
            <Words title="Words of its own" all={f.characteristic} />
            <Words title="How its sentences begin" all={f.openings} />
            <Words title="What others say, and it does not" all={f.avoided} />
          </div>
        </div>
      )}
      {f.samples > 0 && (
        <>
          <TwoStyles slug={slug} title={entry.data?.title ?? slug} figures={f.measured.figures} />
          <Samples slug={slug} />
        </>
      )}
    </>
  );
}

function Words({ title, all }: { title: string; all: CharacteristicWord[] }) {
  if (all.length === 0) return null;
  return (
    <section aria-label={title}>
      <h2 className="mb-2 text-lead">{title}</h2>
      <p className="flex flex-wrap gap-1.5">
        {all.map((w) => (
          <span
            key={w.text}
            title={`${w.rate} here, ${w.others} elsewhere`}
            className="rounded-full border border-line bg-leaf px-2.5 text-small"
          >
            {w.text}
          </span>
        ))}
      </p>
    </section>
  );
}

function Figures({ all }: { all: Figure[] }) {
  return (
    <div className="overflow-x-auto">
      <table className="w-full text-left text-small">
        <thead>
          <tr className="text-faded">
            <th className="py-1.5 pr-3 font-semibold">Figure</th>
            <th className="pr-3 text-right font-semibold">Value</th>
            <th className="w-36 pr-3 font-semibold">95 %</th>
            <th className="font-semibold">Of</th>
          </tr>
        </thead>
        <tbody className="divide-y divide-line">
          {all.map((f) => (
            <tr key={f.name}>
              <th scope="row" className="py-1.5 pr-3 font-normal">
                {f.title}
              </th>
              <td className="pr-3 text-right font-semibold tabular-nums">{f.value ?? "–"}</td>
              <td className="pr-3 tabular-nums">
                {f.low !== undefined && f.high !== undefined && `${f.low} to ${f.high}`}
              </td>
              <td className="text-faded">{f.note ? `${f.unit}; ${f.note}` : f.unit}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** A text that is pasted, beside the style. */
function Beside({ slug }: { slug: string }) {
  const [text, setText] = useState("");
  const fit = useFit(slug);
  return (
    <form
      aria-label="Set a text beside it"
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        fit.mutate(text);
      }}
    >
      <Field id="beside" label="Set a text beside it" hint="Nothing of it is kept.">
        <textarea
          id="beside"
          rows={6}
          aria-describedby="beside-hint"
          className={fieldLook}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </Field>
      <Button type="submit" weight="main" className="self-start" disabled={!text.trim() || fit.isPending}>
        Compare
      </Button>
      <Trouble error={fit.error} title="It cannot be compared" />
      {fit.data?.fit && <Fit fit={fit.data.fit} words={fit.data.measured.words} />}
    </form>
  );
}
