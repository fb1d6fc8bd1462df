import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Entry } from "../../data/api";
import { Button } from "../../parts/basics";

/** The text was rewritten while it was read: both of them, before anything is decided. */
export function Rewritten({ read, now, go }: { read: Entry; now: Entry; go: () => void }) {
  return (
    <section
      role="alert"
      aria-label={t`Rewritten`}
      className="mb-6 rounded-card border border-gold bg-leaf px-4 py-3"
    >
      <p className="mb-3">
        <Trans>
          <b>It was rewritten after you opened it.</b> What you decide is about the text that you have read.
        </Trans>
      </p>
      <div className="mb-3 grid gap-4 sm:grid-cols-2">
        <Side title={t`What you read`} body={read.body} />
        <Side title={t`What it says now`} body={now.body} />
      </div>
      <Button onClick={go}>
        <Trans>Go on with what it says now</Trans>
      </Button>
    </section>
  );
}

function Side({ title, body }: { title: string; body: string }) {
  return (
    <section aria-label={title} className="flex min-w-0 flex-col gap-1">
      <h2 className="text-[17px]">{title}</h2>
      <pre
        tabIndex={0}
        className="max-h-64 overflow-auto rounded-field border border-line bg-paper p-2 font-mono text-small whitespace-pre-wrap"
      >
        {body}
      </pre>
    </section>
  );
}
