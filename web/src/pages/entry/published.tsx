import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useDeferredValue, useState } from "react";
import type { Entry, Filled, Values } from "../../data/api";
import { useSession, useSketch } from "../../data/hooks";
import { useRunForm } from "../../data/runs";
import { forgetValues, fromFragment, lastValues } from "../../data/values";
import { wordCount } from "../../data/words";
import { BlankFields } from "../../parts/blankfields";
import { Button, Trouble } from "../../parts/basics";
import { Choice } from "../../parts/choice";
import { Gallery } from "../../parts/gallery";
import { FilledText, WrittenText, type Origin } from "../../parts/text";
import { lastUsed } from "../../data/laststack";
import { CopyButton } from "./copy";
import { Boxes, For } from "./for";
import { GoneLabels, SetMoved } from "./notices";
import { Head } from "./head";
import { History } from "./history";
import { HowItReads } from "./howitreads";
import { Manage } from "./manage";
import { FillRows } from "./rows";
import { Adaptations, CameFrom } from "./origins";
import { Reports } from "./reports";
import { SideBySide } from "./sidebyside";
import { Stack, type StackChoice } from "./stack";
import { TryIt } from "./try";
import { RunIt } from "./runit";
import { UsedBy } from "./usedby";

const views = [
  { value: "filled", name: t`Filled` },
  { value: "written", name: t`As written` },
];
const withPersonas = [...views, { value: "beside", name: t`Side by side` }];

/** An entry on the shelf, to be filled in and taken away. */
export function Published({ entry, name, base }: { entry: Entry; name: string; base: boolean }) {
  const session = useSession().data;
  const [linked] = useState(() => fromFragment(window.location.hash, entry.asks ?? []));
  const [values, setValues] = useState<Values>(linked.values);
  const [view, setView] = useState("filled");
  const [stack, setStack] = useState<StackChoice>({});
  const [last, setLast] = useState(() => (session ? lastValues(session.name) : {}));
  const [application, setApplication] = useState(() =>
    session ? (lastUsed(session.name, "application")[0]?.name ?? "") : "",
  );
  const isRelay = entry.kind === "relay";
  const relay = useRunForm(name, isRelay);
  // What a relay asks for goes to its steps, and not into its own text.
  const request = {
    values: isRelay ? {} : values,
    ...stack,
    base: base || undefined,
    for: application || undefined,
  };
  const sketch = useSketch(name, useDeferredValue(request));
  const wanted = (sketch.data?.problems ?? []).filter((p) => p.code === "sheet-of");
  const boxed = view === "filled" && (sketch.data?.boxes ?? []).length > 0;
  const problems = sketch.data?.problems ?? [];
  const missing = new Set(problems.map((p) => p.field.split("/")[2] ?? ""));
  const text = sketch.data?.text ?? "";
  return (
    <>
      <Head entry={entry} />
      <CameFrom entry={entry} />
      <Manage entry={entry} />
      <GoneLabels entry={entry} />
      <SetMoved entry={entry} />
      <Gallery pictures={entry.pictures} />
      {linked.gone.length > 0 && (
        <p role="status" className="mb-5 rounded-field bg-wash px-3 py-2">
          <Trans>The link has values that this entry no longer asks for: {linked.gone.join(", ")}.</Trans>
        </p>
      )}
      <div className="grid items-start gap-7 wide:grid-cols-[1fr_348px]">
        <section
          aria-label={t`Text`}
          className="min-w-0 rounded-card border border-line bg-leaf print:border-0"
        >
          <div className="sticky top-0 z-[5] flex flex-wrap items-center gap-4 rounded-t-card border-b border-line bg-leaf px-3.5 py-2.5 print:hidden">
            <Choice
              label={t`How to show the text`}
              value={view}
              onChange={setView}
              options={entry.kind === "prompt" ? withPersonas : views}
            />
            <p className="text-small text-faded max-sm:hidden">
              <Trans>{wordCount(text)} words</Trans>
            </p>
            <For value={application} set={setApplication} />
            <CopyButton
              entry={entry}
              name={name}
              values={values}
              stack={stack}
              base={base}
              application={application}
            />
          </div>
          <div className="min-h-64 py-5 pe-7 max-sm:pe-4">
            {sketch.error && <Trouble error={sketch.error} />}
            {wanted.length > 0 && (
              <p role="status" className="mb-4 ms-7 rounded-field bg-wash px-3 py-2 max-sm:ms-4">
                <Trans>
                  Choose in the stack whom or what it is about: it wants{" "}
                  {plural(wanted.length, { one: "a sheet", other: "# sheets" })} of{" "}
                  {(entry.sheet_of ?? []).join(" and of ")}.
                </Trans>
              </p>
            )}
            {view === "beside" ? (
              <SideBySide entry={entry} name={name} values={values} stack={stack} />
            ) : boxed && sketch.data ? (
              <Boxes filled={sketch.data} />
            ) : view === "filled" ? (
              <FilledText
                text={text}
                spans={sketch.data?.spans ?? []}
                missing={missing}
                origins={originsOf(sketch.data)}
              />
            ) : (
              <div className="ps-7 max-sm:ps-4">
                <WrittenText body={entry.body} />
              </div>
            )}
          </div>
        </section>
        <section
          aria-labelledby="fill-in"
          className="max-wide:order-first wide:sticky wide:top-4 print:hidden"
        >
          <h2 id="fill-in" className="mb-3 text-lead">
            <Trans>Fill in</Trans>
          </h2>
          <BlankFields
            blanks={(isRelay ? relay.data?.blanks : sketch.data?.blanks) ?? entry.asks ?? []}
            values={values}
            last={last}
            problems={problems}
            onChange={setValues}
          />
          {!isRelay && (
            <FillRows name={name} blanks={sketch.data?.blanks ?? entry.asks ?? []} stack={stack} />
          )}
          {session && (entry.asks ?? []).some((b) => last[b.name] !== undefined) && (
            <Button
              weight="text"
              className="mt-3 text-small"
              onClick={() => {
                forgetValues(session.name);
                setLast({});
              }}
            >
              <Trans>Forget what I filled in last</Trans>
            </Button>
          )}
          {entry.kind === "prompt" && (
            <Stack entry={entry} filled={sketch.data} choice={stack} choose={setStack} />
          )}
        </section>
      </div>
      {isRelay && <RunIt name={name} form={relay.data} error={relay.error} values={values} />}
      {entry.kind === "prompt" && (
        <TryIt entry={entry} name={name} values={values} stack={stack} application={application} />
      )}
      <div className="print:hidden">
        {entry.kind === "style" && <HowItReads slug={entry.slug} />}
        <Reports entry={entry} />
        <Adaptations entry={entry} />
        <UsedBy slug={entry.slug} />
        <History slug={entry.slug} />
      </div>
    </>
  );
}

function originsOf(filled: Filled | undefined): Record<string, Origin> {
  return Object.fromEntries(
    (filled?.used ?? []).map((u) => [`${u.entry}@${u.version}`, { kind: u.kind, title: u.title }]),
  );
}
