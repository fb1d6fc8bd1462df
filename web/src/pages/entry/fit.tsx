import { measured } from "../../languages/figures";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { FitFigure, VoiceFit } from "../../data/voices";
import { sentence } from "../../parts/basics";
import { Range } from "../../parts/range";

/** How near a text is, as the service has it, in words. */
const nearness: Record<string, () => string> = {
  near: () => t`Near`,
  "some way off": () => t`Some way off`,
  "far off": () => t`Far off`,
  "too little to say": () => t`Too little to say`,
};

/** How near a text is to a style, and which sentences stand out. */
export function Fit({ fit, words }: { fit: VoiceFit; words: number }) {
  const outside = fit.figures.filter((f) => f.where === "above" || f.where === "below");
  return (
    <section aria-labelledby="fit" aria-live="polite" className="rounded-card border border-line bg-leaf p-4">
      <h2 id="fit" className="text-lead">
        {nearness[fit.near]?.() ?? fit.near}
      </h2>
      <p className="mb-3 text-small text-faded">
        <Trans>{words} words.</Trans>{" "}
        {fit.distance !== undefined &&
          t`Its distance is ${measured(fit.distance)}; of the samples’ own stretches of that length 95 % have ${measured(fit.own ?? 0)} at most. `}
        {fit.delta !== undefined && t`Burrows’s Delta is ${measured(fit.delta)}. `}
        {fit.note && sentence(fit.note)}
      </p>
      {outside.length > 0 && (
        <ul className="@container mb-4 divide-y divide-line text-small">
          {outside.map((f) => (
            <Outside key={f.name} figure={f} />
          ))}
        </ul>
      )}
      {fit.stands.length > 0 && (
        <>
          <h3 className="mb-1.5 font-semibold">
            <Trans>What stands out most</Trans>
          </h3>
          <ol className="flex flex-col gap-3">
            {fit.stands.map((s) => (
              <li key={s.start}>
                <p className="border-s-4 border-gilt ps-3">{s.text}</p>
                {s.reasons.map((r) => (
                  <p key={r.why} className="ps-4 text-small text-faded">
                    {r.why} <b className="font-semibold text-ink">{r.instead}</b>
                  </p>
                ))}
              </li>
            ))}
          </ol>
        </>
      )}
    </section>
  );
}

function Outside({ figure }: { figure: FitFigure }) {
  const { title, value = 0, low = 0, high = 0, where, unit } = figure;
  return (
    <li className="grid grid-cols-[1fr_auto] items-center gap-x-4 py-1.5 @xl:grid-cols-[1fr_9rem_15rem]">
      <span>{title}</span>
      <Range
        low={low}
        high={high}
        value={value}
        label={t`${measured(value)}, where the style has ${measured(low)} to ${measured(high)}`}
      />
      <span className="text-faded @max-xl:col-span-2">
        {where === "above"
          ? t`${measured(value)} ${unit}: above ${measured(high)}`
          : t`${measured(value)} ${unit}: below ${measured(low)}`}
      </span>
    </li>
  );
}
