import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { ChevronDown, Copy } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useCallback, useMemo } from "react";
import { toast } from "sonner";
import type { Entry, Filled, FillRequest, Values } from "../../data/api";
import { Refused } from "../../data/api";
import { fillEntry, useSession } from "../../data/hooks";
import { rememberUse } from "../../data/recent";
import { asFragment, rememberValues } from "../../data/values";
import { useOffer } from "../../parts/athand";
import { Button, sentence } from "../../parts/basics";
import type { StackChoice } from "./stack";

type Form = "markdown" | "plain" | "rich" | "messages";

const forms: { form: Form; name: string; as: NonNullable<FillRequest["as"]> }[] = [
  { form: "markdown", name: t`Copy as Markdown`, as: [] },
  { form: "plain", name: t`Copy as plain text`, as: ["plain"] },
  { form: "rich", name: t`Copy as rich text`, as: ["html", "plain"] },
  { form: "messages", name: t`Copy as JSON messages`, as: ["messages"] },
];

/** What goes on the clipboard, by kind of content. */
function flavours(form: Form, filled: Filled): Record<string, string> {
  switch (form) {
    case "plain":
      return { "text/plain": filled.plain ?? "" };
    case "rich":
      return { "text/plain": filled.plain ?? "", "text/html": filled.html ?? "" };
    case "messages":
      return { "text/plain": JSON.stringify(filled.messages, null, 2) + "\n" };
    default:
      return { "text/plain": delivered(filled) };
  }
}

/** The text as the application that it is for wants it as a whole. */
function delivered(filled: Filled): string {
  if (filled.as === "messages") return JSON.stringify(filled.messages, null, 2) + "\n";
  return filled.boxes?.length === 1 ? filled.boxes[0]!.text : filled.text;
}

function said(form: Form, filled: Filled): string {
  if (form !== "markdown") return t`Copied`;
  const boxes = filled.boxes?.length ?? 0;
  if (filled.as === "boxes" && boxes > 1)
    return t`Copied whole; it also comes in ${boxes} boxes, each with its Copy`;
  return t`Copied, with its formatting`;
}

interface Copying {
  entry: Entry;
  name: string;
  values: Values;
  stack: StackChoice;
  base: boolean;
  application: string; // that the text is for, or none
}

/** Takes the text away: as it is with one press, in other forms from the menu beside it. */
export function CopyButton(props: Copying) {
  const copy = useCopy(props);
  const link = useCallback(() => {
    const fragment = asFragment(props.values);
    const address = `${window.location.origin}/entries/${props.entry.slug}${fragment && "#" + fragment}`;
    navigator.clipboard.writeText(address).then(
      () => toast.success(t`Copied: whoever opens the link has your values`),
      () => toast.error(t`The browser did not allow copying`),
    );
  }, [props.values, props.entry.slug]);
  const offers = useMemo(
    () => [
      ...forms.map((f) => ({ name: f.name, run: () => void copy(f.form) })),
      { name: t`Copy a link with these values`, run: link },
      { name: t`Print`, run: () => window.print() },
    ],
    [copy, link],
  );
  useOffer(offers);
  const item =
    "flex cursor-pointer items-center rounded-field px-3 py-2 outline-none data-[highlighted]:bg-wash";
  return (
    <span className="ms-auto flex">
      <Button
        weight="main"
        className="rounded-e-none"
        onClick={() => void copy("markdown")}
        data-testid="copy"
      >
        <Copy size={15} aria-hidden />
        <Trans>Copy</Trans>
      </Button>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          aria-label={t`Copy in another form`}
          className="rounded-e-field border border-s-on-gold/40 border-gold bg-gold px-1.5 text-on-gold hover:opacity-90"
        >
          <ChevronDown size={15} aria-hidden />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            sideOffset={6}
            className="z-30 min-w-56 rounded-card border border-line bg-leaf p-1.5 shadow-lift"
          >
            {offers.slice(1).map((o) => (
              <DropdownMenu.Item key={o.name} className={item} onSelect={o.run}>
                {o.name}
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </span>
  );
}

/** What is copied is filled anew, so that it is whole and of the values as they are now. */
function useCopy({ entry, name, values, stack, base, application }: Copying) {
  const session = useSession().data;
  return useCallback(
    async (form: Form) => {
      try {
        const as = forms.find((f) => f.form === form)?.as ?? [];
        const filled = await fillEntry(name, {
          values,
          ...stack,
          as,
          base: base || undefined,
          for: application || undefined,
        });
        await write(flavours(form, filled));
        toast.success(said(form, filled));
        if (session) {
          rememberUse(session.name, entry);
          rememberValues(session.name, values);
        }
      } catch (e) {
        failed(e);
      }
    },
    [entry, name, values, stack, base, application, session],
  );
}

async function write(all: Record<string, string>) {
  const plain = all["text/plain"] ?? "";
  if (Object.keys(all).length === 1) return navigator.clipboard.writeText(plain);
  const blobs = Object.entries(all).map(([type, text]) => [type, new Blob([text], { type })] as const);
  return navigator.clipboard.write([new ClipboardItem(Object.fromEntries(blobs))]);
}

function failed(e: unknown) {
  if (e instanceof Refused && e.problems[0]) {
    const first = e.problems[0];
    toast.error(sentence(first.message));
    document.getElementById(`blank-${first.field.split("/")[2]}`)?.focus();
  } else if (e instanceof DOMException) {
    toast.error(t`The browser did not allow copying: mark the text and copy it by hand`);
  } else {
    toast.error((e as Error).message);
  }
}
