import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useDeferredValue, useState } from "react";
import type { AuditNarrowing, Record } from "../../data/history";
import { useAudit, useVerifyAudit } from "../../data/history";
import { usePeople } from "../../data/people";
import { timeWords } from "../../data/times";
import { Button, Empty, fieldLook, sentence, Trouble, Waiting } from "../../parts/basics";
import { OneOf } from "../../parts/oneof";

/** The record of changes: who did what, to which version, when and through what. */
export function RecordPage() {
  const [narrowing, setNarrowing] = useState<AuditNarrowing>({});
  const wanted = useDeferredValue(narrowing);
  const audit = useAudit(wanted);
  const items = audit.data?.pages.flatMap((p) => p.items) ?? [];
  return (
    <>
      <header className="mb-4 flex flex-wrap items-center gap-4">
        <h1 className="flex-1 text-title max-sm:text-head">
          <Trans>Record of changes</Trans>
        </h1>
        <a className={link} href={exportAddress("csv", wanted)}>
          <Trans>As CSV</Trans>
        </a>
        <a className={link} href={exportAddress("jsonl", wanted)}>
          <Trans>As JSON lines</Trans>
        </a>
      </header>
      <Verify />
      <Narrow value={narrowing} set={setNarrowing} />
      <Trouble error={audit.error} title={t`The record cannot be shown`} />
      {!audit.data && !audit.error && <Waiting lines={10} />}
      {audit.data && items.length === 0 && (
        <Empty title={t`Nothing in the record matches`}>
          <Trans>Ask for less.</Trans>
        </Empty>
      )}
      {items.length > 0 && <Records items={items} />}
      {audit.hasNextPage && (
        <Button className="mt-4" onClick={() => void audit.fetchNextPage()}>
          <Trans>Show more</Trans>
        </Button>
      )}
    </>
  );
}

const link = "font-semibold text-gold hover:underline";

function exportAddress(format: string, narrowing: AuditNarrowing): string {
  const filled = Object.entries(narrowing).filter(([, v]) => v);
  return `/api/v1/audit/export?${new URLSearchParams({ format, ...Object.fromEntries(filled) })}`;
}

/** Each record carries the hash of the one before, so that none can be changed unseen. */
function Verify() {
  const verify = useVerifyAudit();
  const v = verify.data;
  const [head, setHead] = useState("");
  return (
    <div className="mb-4 flex flex-wrap items-center gap-x-4 gap-y-2 rounded-card border border-line bg-leaf px-4 py-2.5">
      <p role="status" className="min-w-0 flex-1 text-small">
        {!v && t`Each record carries the hash of the one before it, so that none can be changed unseen.`}
        {v &&
          !v.broken &&
          v.head_in &&
          t`All ${v.records} records hold, and the head that you kept is among them. `}
        {v &&
          !v.broken &&
          !v.head_in &&
          t`All ${v.records} records hold among themselves; one made anew from its beginning would too. `}
        {v && !v.broken && t`Keep this elsewhere, to verify against later: `}
        {v && !v.broken && <code className="font-mono break-all">{v.head}</code>}
        {v?.broken && (
          <b className="text-stop">{sentence(t`record ${v.broken} does not hold: ${v.why ?? ""}`)}</b>
        )}
      </p>
      <Trouble error={verify.error} />
      <label className="flex items-center gap-2 text-small">
        <Trans>Head kept (if any)</Trans>
        <input
          className={`${fieldLook} !w-44 !py-1 font-mono`}
          value={head}
          onChange={(e) => setHead(e.target.value)}
        />
      </label>
      <Button className="!py-1" disabled={verify.isPending} onClick={() => verify.mutate(head)}>
        <Trans>Verify</Trans>
      </Button>
    </div>
  );
}

function Narrow({ value, set }: { value: AuditNarrowing; set: (n: AuditNarrowing) => void }) {
  const people = usePeople().data?.items ?? [];
  const text = (key: keyof AuditNarrowing, label: string, type = "text") => (
    <label className="flex flex-col text-small">
      {label}
      <input
        type={type}
        className={`${fieldLook} !w-40`}
        value={value[key] ?? ""}
        onChange={(e) => set({ ...value, [key]: e.target.value || undefined })}
      />
    </label>
  );
  return (
    <div role="search" aria-label={t`Narrow the record`} className="mb-4 flex flex-wrap gap-3">
      <label className="flex flex-col text-small">
        <Trans>Who</Trans>
        <OneOf
          className="!w-44"
          value={value.person ?? ""}
          set={(person) => set({ ...value, person: person || undefined })}
          none={t`anyone`}
          of={people.map((p) => ({ name: p.name, title: p.full_name }))}
        />
      </label>
      {text("entry", t`Slug`)}
      {text("action", t`Action`)}
      {text("q", t`Words`)}
      {text("from", t`From`, "date")}
      {text("until", t`Until`, "date")}
    </div>
  );
}

function Records({ items }: { items: Record[] }) {
  return (
    <div
      className="overflow-x-auto rounded-card border border-line bg-leaf"
      tabIndex={0}
      role="region"
      aria-label={t`Records`}
    >
      <table className="w-full text-small">
        <thead>
          <tr className="border-b border-line text-faded">
            {[t`Number`, t`When`, t`Who`, t`Through`, t`What`, t`Of`, t`With`].map((h) => (
              <th key={h} className="px-3 py-1.5 font-semibold">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {items.map((r) => (
            <tr key={r.number} className="border-b border-line align-top last:border-0">
              <td className="px-3 py-1.5 tabular-nums" title={r.hash}>
                {r.number}
              </td>
              <td className="px-3 py-1.5 whitespace-nowrap">{timeWords(r.at)}</td>
              <td className="px-3 py-1.5 whitespace-nowrap">{r.by_name ?? t`the service`}</td>
              <td className="px-3 py-1.5">{r.via}</td>
              <td className="px-3 py-1.5 font-semibold">{r.action}</td>
              <td className="px-3 py-1.5">{r.slug && `${r.slug}${r.version ? `@${r.version}` : ""}`}</td>
              <td className="max-w-96 px-3 py-1.5 font-mono break-words" translate="no">
                {withWords(r.detail)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const instant = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?Z$/;

function withWords(detail: Record["detail"]): string {
  return Object.entries(detail)
    .filter(([, v]) => v !== "")
    .map(([k, v]) => `${k}: ${valueWords(v)}`)
    .join(", ");
}

function valueWords(v: unknown): string {
  if (typeof v !== "string") return JSON.stringify(v);
  return instant.test(v) ? timeWords(v) : v;
}
