import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { toast } from "sonner";
import { useDiff, useEntry, useSession, useVersions } from "../../data/hooks";
import { useAnnotated } from "../../data/history";
import { useRestoreVersion } from "../../data/lifecycle";
import { dateWords } from "../../data/times";
import { stateWords } from "../../data/words";
import type { ElsewhereVersion } from "../../data/history";
import { Choice } from "../../parts/choice";
import { DateStack } from "../../parts/datestack";
import { Difference, FieldChanges } from "../../parts/difference";
import { Button, Trouble, Waiting } from "../../parts/basics";

/** The versions as stops; two that are picked show what changed between them. */
export function History({ slug }: { slug: string }) {
  const versions = useVersions(slug);
  const [picked, setPicked] = useState<number[]>([]);
  const pick = (n: number) =>
    setPicked(picked.includes(n) ? picked.filter((p) => p !== n) : [...picked, n].slice(-2));
  const [from, to] = [...picked].sort((a, b) => a - b);
  const several = (versions.data?.items.length ?? 0) > 1;
  return (
    <section aria-labelledby="history" className="mt-10">
      <h2 id="history" className="mb-4 border-b-2 border-gilt pb-1 text-lead">
        <Trans>History</Trans>
      </h2>
      <Trouble error={versions.error} title={t`The history could not be read`} />
      {versions.data && (
        <div className="grid items-start gap-7 wide:grid-cols-[minmax(220px,1fr)_2fr]">
          <div>
            {several && (
              <p className="mb-3 text-small text-faded">
                <Trans>Pick a version to see who wrote each line, or two to compare them.</Trans>
              </p>
            )}
            <DateStack
              versions={versions.data.items}
              helped={versions.data.helped}
              picked={picked}
              pick={pick}
            />
            {versions.hasNextPage && (
              <Button className="mt-3 !py-1" onClick={() => void versions.fetchNextPage()}>
                <Trans>Older versions</Trans>
              </Button>
            )}
          </div>
          <Elsewhere versions={versions.data.elsewhere} />
          {from !== undefined && to !== undefined && <Compared slug={slug} from={from} to={to} />}
          {from !== undefined && to === undefined && <ByLine slug={slug} number={from} />}
        </div>
      )}
    </section>
  );
}

/** What the entry was in the library that it came from, by names that are not ours. */
function Elsewhere({ versions }: { versions: ElsewhereVersion[] }) {
  if (versions.length === 0) return null;
  return (
    <section
      aria-label={t`Elsewhere`}
      className="order-last rounded-card border border-line bg-leaf px-4 py-3"
    >
      <h3 className="mb-1 font-sans text-base font-semibold">
        <Trans>Elsewhere</Trans>
      </h3>
      <p className="mb-2 text-small text-faded">
        <Trans>Before it was imported. Nothing of it counts here.</Trans>
      </p>
      <ol className="text-small">
        {versions.map((v) => (
          <li key={v.version} className="border-t border-line py-1.5">
            <b>{v.version}</b> {stateWords[v.state].toLowerCase()}, {dateWords(v.published_at ?? v.saved_at)}
            {v.author && t`, by ${v.author}`}
            {v.approvals && t`, approved by ${v.approvals.map((a) => a.by).join(", ")}`}
            {v.note && <span className="block text-faded">{v.note}</span>}
          </li>
        ))}
      </ol>
    </section>
  );
}

/** A version line by line, with who wrote each in which version and why; and the way to begin anew with it. */
function ByLine({ slug, number }: { slug: string; number: number }) {
  const lines = useAnnotated(slug, number);
  if (lines.error) return <Trouble error={lines.error} />;
  if (!lines.data) return <Waiting lines={5} />;
  const items = lines.data.items;
  return (
    <section
      aria-label={t`Who wrote version ${number}`}
      className="min-w-0 rounded-card border border-line bg-leaf"
    >
      <div className="flex flex-wrap items-center gap-4 border-b border-line px-3.5 py-2.5">
        <h3 className="flex-1 font-sans text-base font-semibold">
          <Trans>Version {number}, line by line</Trans>
        </h3>
        <BringBack slug={slug} number={number} />
      </div>
      <table className="w-full text-small">
        <thead className="sr-only">
          <tr>
            <th>
              <Trans>Since</Trans>
            </th>
            <th>
              <Trans>Line</Trans>
            </th>
          </tr>
        </thead>
        <tbody>
          {items.map((l, i) => (
            <tr key={i} className="align-top">
              <td className="w-44 border-e border-line py-0.5 pe-3 ps-3.5 text-faded" title={l.note}>
                {(i === 0 || items[i - 1]?.version !== l.version) &&
                  `${l.version} · ${l.author}, ${dateWords(l.at)}`}
              </td>
              <td className="px-3.5 py-0.5 font-mono leading-[21px] break-words whitespace-pre-wrap">
                {l.text || " "}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function BringBack({ slug, number }: { slug: string; number: number }) {
  const maker = useSession().data?.role !== "reader";
  const entry = useEntry(slug, maker).data;
  const back = useRestoreVersion(slug);
  const navigate = useNavigate();
  if (!entry?.actions.includes("begin")) return null;
  return (
    <Button
      disabled={back.isPending}
      onClick={() =>
        back.mutate(number, {
          onSuccess: (draft) => {
            toast.success(t`Version ${draft.version} begins with this text`);
            void navigate({ to: "/entries/$slug/edit", params: { slug } });
          },
          onError: (e) => toast.error(e.message),
        })
      }
    >
      <Trans>Make it the next version</Trans>
    </Button>
  );
}

const views = [
  { value: "text", name: t`The text` },
  { value: "filled", name: t`As filled` },
];

function Compared({ slug, from, to }: { slug: string; from: number; to: number }) {
  const diff = useDiff(slug, from, to);
  const [view, setView] = useState("text");
  if (diff.error) return <Trouble error={diff.error} />;
  if (!diff.data) return <Waiting lines={5} />;
  return (
    <section
      aria-label={t`What changed from version ${from} to ${to}`}
      className="min-w-0 rounded-card border border-line bg-leaf"
    >
      <div className="flex flex-wrap items-center gap-4 border-b border-line px-3.5 py-2.5">
        <h3 className="font-sans text-base font-semibold">
          <Trans>
            Version {from} to {to}
          </Trans>
        </h3>
        <Choice label={t`What to compare`} value={view} onChange={setView} options={views} />
      </div>
      <div className="px-5 py-4">
        <FieldChanges fields={diff.data.fields} />
        <Difference lines={view === "text" ? diff.data.lines : diff.data.filled} />
      </div>
    </section>
  );
}
