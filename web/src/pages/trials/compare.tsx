import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useParams } from "@tanstack/react-router";
import { Refused } from "../../data/api";
import { usePair, usePrefer } from "../../data/trials";
import { Button, Empty, Trouble, Waiting } from "../../parts/basics";

/** Two replies side by side, without whose they are: which is better? */
export function Compare() {
  const { id } = useParams({ strict: false }) as { id: string };
  const pair = usePair(id);
  const prefer = usePrefer(id);
  const back = (
    <Link to="/trials/$id" params={{ id }} className="font-semibold text-gold hover:underline">
      <Trans>Back to the trial</Trans>
    </Link>
  );
  if (pair.error instanceof Refused && pair.error.status === 404)
    return (
      <Empty page title={t`You have compared all that has come so far`}>
        <Trans>{back} shows what was found.</Trans>
      </Empty>
    );
  if (pair.error) return <Trouble error={pair.error} title={t`There is nothing to compare`} />;
  if (!pair.data) return <Waiting lines={10} />;
  const p = pair.data;
  const say = (better: "first" | "second" | "neither") =>
    prefer.mutate({ first: p.first.id, second: p.second.id, better });
  return (
    <>
      <header className="mb-5">
        <h1 className="text-title max-sm:text-head">
          <Trans>Which is better?</Trans>
        </h1>
        <p className="text-faded">
          <Trans>
            Both answer the same fill, {p.fill}. Whose they are is not shown. {p.left} to go · {back}
          </Trans>
        </p>
      </header>
      <div className="grid gap-6 wide:grid-cols-2">
        {([p.first, p.second] as const).map((r, i) => (
          <section
            key={r.id}
            aria-label={i === 0 ? t`The left one` : t`The right one`}
            className="flex flex-col gap-3"
          >
            <Button
              weight="main"
              className="self-start"
              disabled={prefer.isPending || pair.isFetching}
              onClick={() => say(i === 0 ? "first" : "second")}
            >
              {i === 0 ? t`The left one` : t`The right one`}
            </Button>
            <div className="min-h-40 rounded-card border border-line bg-leaf px-4 py-3 font-serif leading-[25px] break-words whitespace-pre-wrap">
              {r.text}
            </div>
          </section>
        ))}
      </div>
      <div className="mt-4">
        <Button disabled={prefer.isPending || pair.isFetching} onClick={() => say("neither")}>
          <Trans>Neither is better</Trans>
        </Button>
      </div>
      <Trouble error={prefer.error} title={t`That was not kept`} />
    </>
  );
}
