import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { Values } from "../../data/api";
import { useStartRun, type RunForm } from "../../data/runs";
import { useModels } from "../../data/talks";
import { Button, Trouble } from "../../parts/basics";
import { Flow } from "../../parts/flow";
import { Left } from "../../parts/left";
import { OneOf } from "../../parts/oneof";

/** The steps of a relay, and what runs them. */
export function RunIt({
  name,
  form,
  error,
  values,
}: {
  name: string;
  form?: RunForm;
  error: unknown;
  values: Values;
}) {
  const models = useModels().data?.items ?? [];
  const [chosen, setModel] = useState("");
  const start = useStartRun();
  const navigate = useNavigate();
  const wantsModel = form?.steps.some((s) => !s.model) ?? false;
  return (
    <section aria-labelledby="run-it" className="mt-8 print:hidden">
      <h2 id="run-it" className="mb-3 text-head">
        <Trans>Run it</Trans>
      </h2>
      <Trouble error={error} title={t`It cannot run as it is`} />
      {form && <Flow steps={form.steps} width={420} />}
      <div className="mt-4 flex flex-wrap items-center gap-x-3 gap-y-2">
        {wantsModel && (
          <>
            <label htmlFor="run-model" className="text-small font-semibold">
              <Trans>Steps without a model of their own ask</Trans>
            </label>
            <OneOf
              id="run-model"
              className="!w-40"
              value={chosen}
              none={models[0]?.title ?? ""}
              of={models.slice(1).map((m) => ({ name: m.name, title: m.title }))}
              set={setModel}
            />
          </>
        )}
        <Button
          weight="main"
          disabled={!form || start.isPending}
          onClick={() =>
            start.mutate(
              { ref: name, values, model: chosen || models[0]?.name },
              { onSuccess: (run) => void navigate({ to: "/runs/$id", params: { id: run.id } }) },
            )
          }
        >
          <Trans>Run</Trans>
        </Button>
        <span className="ms-auto flex gap-4 text-small font-semibold text-gold">
          <Link to="/entries/$slug/trials" params={{ slug: name }} className="hover:underline">
            <Trans>Trials</Trans>
          </Link>
          <Link to="/runs" className="hover:underline">
            <Trans>Your runs</Trans>
          </Link>
        </span>
      </div>
      <div className="mt-3">
        <Left />
        <Trouble error={start.error} title={t`Nothing was asked`} />
      </div>
    </section>
  );
}
