import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Plus, X } from "lucide-react";
import { toast } from "sonner";
import type { Problem } from "../../data/api";
import {
  useDeleteLayout,
  useSetLayout,
  type Layout,
  type LayoutBox,
  type useLayout,
} from "../../data/register";
import { useBegun } from "../../data/begun";
import { Button, ChangedSince, Field, fieldLook, Trouble } from "../../parts/basics";
import { Choice } from "../../parts/choice";
import { BoxForm } from "./layoutbox";

type Read = NonNullable<ReturnType<typeof useLayout>["data"]>;

const forms = [
  { value: "text", name: t`One text` },
  { value: "boxes", name: t`Boxes` },
  { value: "messages", name: t`Messages` },
];

/** What a layout says, field by field. */
export function LayoutForm({
  application,
  title,
  read,
  layout,
  change,
  problems,
}: {
  application: string;
  title: string;
  read: Read;
  layout: Layout;
  change: (l: Layout) => void;
  problems: Problem[];
}) {
  const set = useSetLayout(application);
  const drop = useDeleteLayout(application);
  const { begun, begin, moved } = useBegun(read);
  const box = (at: number, next?: LayoutBox) =>
    change({ ...layout, boxes: layout.boxes.flatMap((b, i) => (i === at ? (next ? [next] : []) : [b])) });
  return (
    <form
      className="flex min-w-0 flex-col gap-5"
      onSubmit={(e) => {
        e.preventDefault();
        set.mutate(
          { etag: begun.etag, layout },
          {
            onSuccess: (saved) => {
              begin(saved);
              toast.success(t`Stacks are delivered to ${title} by it from now on`);
            },
          },
        );
      }}
    >
      <ChangedSince
        moved={moved && !set.isPending}
        begin={() => {
          begin(read);
          if (read.data) change(read.data);
        }}
      />
      <Trouble error={set.error ?? drop.error} title={t`The layout stays as it was`} />
      <div>
        <p className="mb-1 font-semibold">
          <Trans>Delivered as</Trans>
        </p>
        <Choice
          label={t`Delivered as`}
          value={layout.as}
          options={forms}
          onChange={(as) => change(inForm(layout, as as Layout["as"]))}
        />
      </div>
      <div className="grid gap-4 sm:grid-cols-2">
        <Field id="headings" label={t`Headings`}>
          <select
            id="headings"
            className={fieldLook}
            value={layout.headings || "markdown"}
            onChange={(e) => change({ ...layout, headings: e.target.value as Layout["headings"] })}
          >
            <option value="markdown">
              <Trans>## As Markdown</Trans>
            </option>
            <option value="tags">
              <Trans>&lt;between&gt; tags</Trans>
            </option>
            <option value="plain">
              <Trans>Plain lines</Trans>
            </option>
          </select>
        </Field>
        <Field id="sheets" label={t`Sheets`}>
          <select
            id="sheets"
            className={fieldLook}
            value={layout.sheets || "markdown"}
            onChange={(e) => change({ ...layout, sheets: e.target.value as Layout["sheets"] })}
          >
            <option value="markdown">
              <Trans>As Markdown</Trans>
            </option>
            <option value="json">
              <Trans>As JSON</Trans>
            </option>
          </select>
        </Field>
      </div>
      {layout.boxes.map((b, i) => (
        <BoxForm
          key={i}
          as={layout.as}
          box={b}
          number={i + 1}
          change={(next) => box(i, next)}
          remove={layout.boxes.length > 1 ? () => box(i) : undefined}
          problems={problems.filter((p) => p.field.startsWith(`/boxes/${i}/`))}
        />
      ))}
      {layout.as !== "text" && (
        <Button
          className="self-start"
          onClick={() =>
            change({
              ...layout,
              boxes: [...layout.boxes, { role: layout.as === "messages" ? "user" : "", takes: [] }],
            })
          }
        >
          <Plus size={15} aria-hidden />
          {layout.as === "messages" ? t`Add a message` : t`Add a box`}
        </Button>
      )}
      <Renames layout={layout} change={change} />
      {problems
        .filter((p) => !p.field.startsWith("/boxes/"))
        .map((p) => (
          <p key={p.field + p.message} className="text-small text-stop">
            {p.message}
          </p>
        ))}
      <div className="flex gap-4">
        <Button type="submit" weight="main" disabled={set.isPending}>
          <Trans>Save</Trans>
        </Button>
        {read.data && (
          <Button
            disabled={drop.isPending}
            onClick={() =>
              drop.mutate(undefined, { onSuccess: () => toast.success(t`${title} takes stacks as they are`) })
            }
          >
            <Trans>Delete</Trans>
          </Button>
        )}
      </div>
    </form>
  );
}

/** The layout in another form: of one text there is one box, and only messages have roles. */
function inForm(l: Layout, as: Layout["as"]): Layout {
  const boxes = as === "text" ? l.boxes.slice(0, 1) : l.boxes;
  return {
    ...l,
    as,
    boxes: boxes.map((b, i) => ({
      ...b,
      role: as === "messages" ? b.role || (i === 0 ? "system" : "user") : undefined,
    })),
  };
}

/** Headings that the application has other words for. */
function Renames({ layout, change }: { layout: Layout; change: (l: Layout) => void }) {
  const all = Object.entries(layout.rename ?? {});
  const put = (pairs: [string, string][]) => change({ ...layout, rename: Object.fromEntries(pairs) });
  return (
    <fieldset>
      <legend className="mb-1 font-semibold">
        <Trans>Headings by other names</Trans>
      </legend>
      <div className="flex flex-col gap-2">
        {all.map(([from, to], i) => (
          <div key={i} className="grid grid-cols-[1fr_auto_1fr_auto] items-center gap-2">
            <input
              aria-label={t`Heading ${i + 1}`}
              className={fieldLook}
              value={from}
              onChange={(e) => put(all.map((p, k) => (k === i ? [e.target.value, p[1]] : p)))}
            />
            <span className="text-faded">
              <Trans>becomes</Trans>
            </span>
            <input
              aria-label={t`Heading ${i + 1} becomes`}
              className={fieldLook}
              value={to}
              onChange={(e) => put(all.map((p, k) => (k === i ? [p[0], e.target.value] : p)))}
            />
            <Button
              weight="text"
              aria-label={t`Remove ${from || t`this name`}`}
              onClick={() => put(all.filter((_, k) => k !== i))}
            >
              <X size={15} aria-hidden />
            </Button>
          </div>
        ))}
        <Button
          weight="text"
          className="self-start"
          disabled={"" in (layout.rename ?? {})}
          onClick={() => put([...all, ["", ""]])}
        >
          <Plus size={15} aria-hidden />
          <Trans>Rename a heading</Trans>
        </Button>
      </div>
    </fieldset>
  );
}
