import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useState, type ReactNode } from "react";
import type { Item } from "../../data/api";
import { dateWords } from "../../data/times";
import { useBest, type Period } from "../../data/use";
import { titleOf } from "../../data/words";
import { Empty, KindTile, Trouble, Waiting } from "../../parts/basics";
import { Choice } from "../../parts/choice";

const periods = [
  { value: "30", name: t`30 days` },
  { value: "90", name: t`90 days` },
  { value: "365", name: t`A year` },
];

/** The best of the shelf over a period: used, kept at hand, new, and whose it is. */
export function Best() {
  const [days, setDays] = useState("90");
  const best = useBest(Number(days) as Period);
  return (
    <>
      <div className="mb-5 flex flex-wrap items-center gap-x-5 gap-y-2">
        <h1 className="text-title">
          <Trans>The best of the shelf</Trans>
        </h1>
        <Choice label={t`Over which time`} value={days} onChange={setDays} options={periods} />
      </div>
      <Trouble error={best.error} />
      {!best.data && !best.error && <Waiting />}
      {best.data && (
        <div className="grid gap-x-10 gap-y-8 wide:grid-cols-2">
          <List title={t`Used most`} note={t`people and days`} empty={t`Nothing was used in this time.`}>
            {best.data.used.map((r) => (
              <Row key={r.slug} item={r} note={String(r.times)} />
            ))}
          </List>
          <List
            title={t`Kept at hand`}
            note={t`people, of all time`}
            empty={t`Nobody keeps anything at hand yet.`}
          >
            {best.data.favoured.map((r) => (
              <Row key={r.slug} item={r} note={String(r.times)} />
            ))}
          </List>
          <List title={t`New on the shelf`} note={t`published`} empty={t`Nothing is on the shelf yet.`}>
            {best.data.newest.map((i) => (
              <Row key={i.slug} item={i} note={dateWords(i.published_at)} />
            ))}
          </List>
          <List
            title={t`Whose entries others use`}
            note={t`people and days`}
            empty={t`Nothing was used in this time.`}
          >
            {best.data.contributors.map((c) => (
              <li key={c.name} className="flex items-center gap-2.5 py-1.5">
                <Link to="/" search={{ q: `owner:${c.name}` }} className="font-semibold hover:underline">
                  {c.full_name}
                </Link>
                <span className="text-small text-faded">
                  {plural(c.entries, { one: "1 entry", other: "# entries" })}
                </span>
                <span className="ms-auto tabular-nums">{c.times}</span>
              </li>
            ))}
          </List>
        </div>
      )}
      <p className="mt-6 text-small text-faded">
        <Trans>Nobody counts for what they wrote or answer for, and nobody counts twice on one day.</Trans>
      </p>
    </>
  );
}

function List(props: { title: string; note: string; empty: string; children: ReactNode[] }) {
  return (
    <section aria-label={props.title}>
      <div className="flex items-baseline border-b-2 border-gilt pb-1">
        <h2 className="text-lead">{props.title}</h2>
        <span className="ms-auto text-small text-faded">{props.note}</span>
      </div>
      {props.children.length === 0 ? (
        <Empty title={props.empty} />
      ) : (
        <ol className="divide-y divide-line">{props.children}</ol>
      )}
    </section>
  );
}

function Row({ item, note }: { item: Item; note: string }) {
  return (
    <li className="flex items-center gap-2.5 py-1.5">
      <KindTile kind={item.kind} />
      <Link to="/entries/$slug" params={{ slug: item.slug }} className="min-w-0 truncate hover:underline">
        {titleOf(item)}
      </Link>
      <span className="ms-auto shrink-0 text-small tabular-nums text-faded">{note}</span>
    </li>
  );
}
