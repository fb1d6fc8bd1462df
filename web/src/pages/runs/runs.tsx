import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useNavigate } from "@tanstack/react-router";
import { useRef } from "react";
import { readRun, useRuns, useStartRun } from "../../data/runs";
import { timeWords } from "../../data/times";
import { Button, Empty, Trouble, Waiting } from "../../parts/basics";
import { useChange } from "../../data/change";

/** My runs of relays: nobody else sees them. */
export function RunsPage() {
  const runs = useRuns();
  const start = useStartRun();
  const navigate = useNavigate();
  const field = useRef<HTMLInputElement>(null);
  const again = useChange(async (file: File) => start.mutateAsync(await readRun(file)));
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <div className="min-w-0 flex-1">
          <h1 className="text-title max-sm:text-head">
            <Trans>Your runs</Trans>
          </h1>
          <p className="text-faded">
            <Trans>
              Relays that you have run. Nobody else sees them. What you do not keep is forgotten after 90
              days.
            </Trans>
          </p>
        </div>
        <input
          ref={field}
          type="file"
          accept=".md,.json"
          className="hidden"
          aria-label={t`A saved run`}
          onChange={(e) => {
            const file = e.target.files?.[0];
            e.target.value = "";
            if (file)
              again.mutate(file, {
                onSuccess: (run) => void navigate({ to: "/runs/$id", params: { id: run.id } }),
              });
          }}
        />
        <Button disabled={again.isPending} onClick={() => field.current?.click()}>
          <Trans>Run a saved one again…</Trans>
        </Button>
      </header>
      <Trouble error={again.error} title={t`It was not run`} />
      {runs.error && <Trouble error={runs.error} title={t`Your runs cannot be shown`} />}
      {!runs.data && !runs.error && <Waiting />}
      {runs.data?.items.length === 0 && (
        <Empty title={t`No run yet`}>
          <Trans>On the page of a relay, “Run” begins one.</Trans>
        </Empty>
      )}
      <ul className="divide-y divide-line border-y border-line empty:hidden">
        {runs.data?.items.map((r) => (
          <li key={r.id}>
            <Link to="/runs/$id" params={{ id: r.id }} className="block px-1 py-2.5 hover:bg-wash">
              <span className="font-semibold">{r.title}</span>
              <span className="ms-3 text-small text-faded">
                <Trans>
                  {timeWords(r.at)} · version {r.ref.version} · {r.state}
                </Trans>
                {r.kept && t` · kept`}
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </>
  );
}
