import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useLocation, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { useLayout, useLayouts, useRegister, useTryLayout, type Layout } from "../../data/register";
import { useSettled } from "../../data/settled";
import { Empty, Trouble, Waiting } from "../../parts/basics";
import { EntryField } from "../../parts/entryfield";
import { Boxes } from "../entry/for";
import { LayoutForm } from "./layoutform";

/** How each application wants a stack delivered: a form, and beside it what it makes of an entry. */
export function LayoutsPage() {
  const { of } = useLocation().search as { of?: string };
  const navigate = useNavigate();
  const register = useRegister();
  const layouts = useLayouts();
  if (register.error) return <Trouble error={register.error} title={t`The applications cannot be shown`} />;
  if (!register.data || !layouts.data) return <Waiting lines={10} />;
  const applications = register.data.data.items.filter(
    (i) => i.facet === "application" && i.status !== "gone",
  );
  const chosen = of ?? applications[0]?.name;
  const has = (name: string) => layouts.data.items.some((l) => l.application === name);
  return (
    <>
      <h1 className="text-title max-sm:text-head">
        <Trans>Layouts</Trans>
      </h1>
      <p className="mb-5 max-w-prose text-faded">
        <Trans>
          How an application wants a stack delivered: as one text, in boxes, or as messages. Whoever fills an
          entry in says which application it is for.
        </Trans>
      </p>
      {applications.length === 0 && <Empty title={t`No application is registered yet`} />}
      <div className="mb-6 flex flex-wrap gap-2" role="group" aria-label={t`Applications`}>
        {applications.map((a) => (
          <button
            key={a.name}
            type="button"
            aria-pressed={a.name === chosen}
            className="rounded-full border border-line bg-leaf px-3 py-1 aria-pressed:border-gold aria-pressed:bg-wash aria-pressed:font-semibold"
            onClick={() => void navigate({ to: "/settings/layouts", search: { of: a.name } })}
          >
            {a.title}{" "}
            {!has(a.name) && (
              <span className="text-small font-normal text-faded">
                <Trans>as it is</Trans>
              </span>
            )}
          </button>
        ))}
      </div>
      {chosen && <OneLayout key={chosen} application={chosen} title={titleOf(applications, chosen)} />}
    </>
  );
}

function titleOf(all: { name: string; title: string }[], name: string): string {
  return all.find((a) => a.name === name)?.title ?? name;
}

const plain: Layout = {
  as: "text",
  boxes: [{ takes: [{ layer: "persona" }, { layer: "style" }, { layer: "sheet" }, { layer: "prompt" }] }],
};

function OneLayout({ application, title }: { application: string; title: string }) {
  const read = useLayout(application);
  if (read.error) return <Trouble error={read.error} title={t`The layout cannot be shown`} />;
  if (!read.data) return <Waiting lines={8} />;
  return <Editing application={application} title={title} read={read.data} />;
}

type Read = NonNullable<ReturnType<typeof useLayout>["data"]>;

function Editing({ application, title, read }: { application: string; title: string; read: Read }) {
  const [layout, setLayout] = useState<Layout>(() => written(read.data) ?? plain);
  const [slug, setSlug] = useState("");
  const tried = useTryLayout(useSettled(layout), slug);
  return (
    <div className="grid items-start gap-7 wide:grid-cols-[1fr_1fr]">
      <LayoutForm
        application={application}
        title={title}
        read={read}
        layout={layout}
        change={setLayout}
        problems={tried.data?.problems ?? []}
      />
      <section aria-labelledby="example" className="min-w-0">
        <h2 id="example" className="mb-2 text-lead">
          <Trans>What it makes of an entry</Trans>
        </h2>
        <EntryField label={t`An entry to try it on`} kind="prompt" value={slug} set={setSlug} />
        <div className="mt-4 -ms-7 max-sm:-ms-4">
          {tried.error && <Trouble error={tried.error} title={t`It cannot be tried`} />}
          {tried.data && <Boxes filled={{ ...tried.data, text: "", layers: [], spans: [], used: [] }} />}
        </div>
        {!slug && (
          <p className="mt-3 text-faded">
            <Trans>Choose an entry to see how the layout delivers it.</Trans>
          </p>
        )}
      </section>
    </div>
  );
}

/** A layout as it is saved, without what is known of the saving. */
function written(saved: Read["data"]): Layout | undefined {
  if (!saved) return undefined;
  const { as, headings, sheets, rename, boxes } = saved;
  return { as, headings, sheets, rename, boxes };
}
