import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Entry, NewEntry } from "../../data/api";
import { dateWords } from "../../data/times";
import { Button } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";

/** Two people have changed one draft: both texts, and the choice between them. */
export function Conflict({
  mine,
  theirs,
  keepMine,
  takeTheirs,
}: {
  mine: NewEntry;
  theirs: Entry;
  keepMine: () => void;
  takeTheirs: () => void;
}) {
  return (
    <Dialog open onOpen={() => undefined} title={t`${theirs.saved_by_name} saved this draft too`}>
      <p className="mb-4">
        <Trans>
          They saved on {dateWords(theirs.saved_at)}, after you began. Nothing of yours is lost: choose which
          text to go on with. You can copy from the other first.
        </Trans>
      </p>
      <div className="grid gap-4 sm:grid-cols-2">
        <Side title={t`Yours`} body={mine.body} action={t`Go on with mine`} onClick={keepMine} />
        <Side title={t`Theirs`} body={theirs.body} action={t`Go on with theirs`} onClick={takeTheirs} />
      </div>
    </Dialog>
  );
}

function Side({
  title,
  body,
  action,
  onClick,
}: {
  title: string;
  body: string;
  action: string;
  onClick: () => void;
}) {
  return (
    <section aria-label={title} className="flex flex-col gap-2">
      <h3 className="text-lead">{title}</h3>
      <pre
        tabIndex={0}
        className="max-h-64 overflow-auto rounded-field border border-line bg-leaf p-2 font-mono text-small whitespace-pre-wrap"
      >
        {body}
      </pre>
      <Button onClick={onClick}>{action}</Button>
    </section>
  );
}
