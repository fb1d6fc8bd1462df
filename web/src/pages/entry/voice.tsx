import { measured, whole } from "../../languages/figures";
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
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
  if (figures.error) return <Trouble error={figures.error} title={t`It cannot be measured`} />;
  if (!figures.data) return <Waiting lines={12} />;
  const f = figures.data;
  return (
    <>
      <h1 className="text-title max-sm:text-head">
        <Trans>How {entry.data?.title ?? slug} reads</Trans>
      </h1>
      <p className="mt-1 mb-6 text-faded">
        <Trans>
          {whole(f.measured.words)} words in {plural(f.samples, { one: "one sample", other: "# samples" })} of{" "}
          <Link to="/entries/$slug" params={{ slug }} className="font-semibold text-gold hover:underline">
            {slug}
          </Link>
          . {f.measured.note}
        </Trans>
      </p>
      {f.samples === 0 ? (
        <>
          <Empty title={t`It has no samples yet`}>
            <Trans>Whoever looks after it brings texts that read as it should; then it is measured.</Trans>
          </Empty>
          <Samples slug={slug} />
        </>
      ) : (
        <div className="grid items-start gap-7 wide:grid-cols-[1fr_320px]">
          <div className="min-w-0">
            <Beside slug={slug} />
            <h2 className="mt-8 mb-1 border-b-2 border-gilt pb-1 text-lead">
              <Trans>Figures</Trans>
            </h2>
            <Figures all={f.measured.figures} />
          </div>
          <div className="flex flex-col gap-6">
            <section aria-labelledby="guide">
              <h2 id="guide" className="mb-2 text-lead">
                <Trans>In plain words</Trans>
              </h2>
              <ul className="flex flex-col gap-1.5">
                {f.guide.map((l) => (
                  <li key={l.figure}>{l.text}</li>
                ))}
              </ul>
            </section>
            <Words title={t`Words of its own`} all={f.characteristic} />
            <Words title={t`How its sentences begin`} all={f.openings} />
            <Words title={t`What others say, and it does not`} all={f.avoided} />
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
            title={t`${w.rate} here, ${w.others} elsewhere`}
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
      <table className="w-full text-small">
        <thead>
          <tr className="text-faded">
            <th className="py-1.5 pe-3 font-semibold">
              <Trans>Figure</Trans>
            </th>
            <th className="pe-3 text-end font-semibold">
              <Trans>Value</Trans>
            </th>
            <th className="w-36 pe-3 font-semibold">95 %</th>
            <th className="font-semibold">
              <Trans>Of</Trans>
            </th>
          </tr>
        </thead>
        <tbody className="divide-y divide-line">
          {all.map((f) => (
            <tr key={f.name}>
              <th scope="row" className="py-1.5 pe-3 font-normal">
                {f.title}
              </th>
              <td className="pe-3 text-end font-semibold tabular-nums">
                {f.value === undefined ? "–" : measured(f.value)}
              </td>
              <td className="pe-3 tabular-nums">
                {f.low !== undefined && f.high !== undefined && t`${measured(f.low)} to ${measured(f.high)}`}
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
      aria-label={t`Set a text beside it`}
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        fit.mutate(text);
      }}
    >
      <Field id="beside" label={t`Set a text beside it`} hint={t`Nothing of it is kept.`}>
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
        <Trans>Compare</Trans>
      </Button>
      <Trouble error={fit.error} title={t`It cannot be compared`} />
      {fit.data?.fit && <Fit fit={fit.data.fit} words={fit.data.measured.words} />}
    </form>
  );
}
