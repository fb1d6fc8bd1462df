import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { useTryConnection, type Connection, type ConnectionTried } from "../../data/connections";
import { Button, sentence, Trouble } from "../../parts/basics";
import { OneOf } from "../../parts/oneof";

/** Asks a model of a connection, and shows what was sent and what came back. */
export function TryConnection({ connection }: { connection: Connection }) {
  const [first = "", ...others] = connection.models;
  const [model, setModel] = useState("");
  const ask = useTryConnection(connection.name);
  if (!first)
    return (
      <p>
        <Trans>It serves no model yet: change it first.</Trans>
      </p>
    );
  return (
    <div className="flex flex-col gap-4">
      <div className="flex items-center gap-3">
        <label htmlFor="connection-model" className="font-semibold">
          <Trans>Model</Trans>
        </label>
        <OneOf
          id="connection-model"
          className="!w-56"
          value={model}
          none={first}
          of={others.map((m) => ({ name: m, title: m }))}
          set={setModel}
        />
        <Button weight="main" disabled={ask.isPending} onClick={() => ask.mutate({ model: model || first })}>
          <Trans>Ask</Trans>
        </Button>
      </div>
      <Trouble error={ask.error} title={t`It was not asked`} />
      {ask.data && <Tried tried={ask.data} />}
    </div>
  );
}

function Tried({ tried }: { tried: ConnectionTried }) {
  return (
    <>
      {tried.problem ? (
        <p role="alert" className="text-stop">
          {sentence(tried.problem)}
        </p>
      ) : (
        <p role="status">
          <Trans>
            It answers, in {tried.ms} ms: <q>{tried.reply?.text}</q>
          </Trans>
        </p>
      )}
      {tried.sent.line && <Written title={t`What was sent`} text={tried.sent} />}
      {tried.came && <Written title={t`What came back`} text={tried.came} />}
    </>
  );
}

function Written({ title, text }: { title: string; text: ConnectionTried["sent"] }) {
  return (
    <section aria-label={title}>
      <h3 className="mb-1 text-base font-semibold">{title}</h3>
      <pre
        tabIndex={0}
        className="max-h-56 overflow-auto rounded-field bg-wash px-3 py-2 font-mono text-small break-words whitespace-pre-wrap"
      >
        {[text.line, ...text.headers, "", text.body].join("\n")}
      </pre>
    </section>
  );
}
