import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { ChevronDown } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { useSession } from "../../data/hooks";
import { Dialog } from "../dialog";
import { Act, type Action } from "./act";
import { Label } from "./label";
import type { Entries } from "./plan";
import { Transfer } from "./transfer";

type Choice = Action | "label" | "transfer";

const names: Record<Choice, string> = {
  label: t`Label`,
  transfer: t`Transfer`,
  submit: t`Send to review`,
  renew: t`Still good`,
  retire: t`Retire`,
};

const curators: Choice[] = ["label", "retire"];
const item = "block cursor-pointer rounded-field px-3 py-1.5 outline-none data-[highlighted]:bg-wash";

/** What can be done to all entries of a list, each with what will change shown first. */
export function Bulk({
  entries,
  can,
  exported,
}: {
  entries: Entries;
  can: Choice[];
  exported?: string; // the query that exports them
}) {
  const role = useSession().data?.role;
  const [chosen, setChosen] = useState<Choice>();
  const may = can.filter((c) => role === "curator" || (role !== "reader" && !curators.includes(c)));
  const all = entries.total;
  if (all === 0 || may.length === 0) return null;
  const done = () => setChosen(undefined);
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="inline-flex items-center gap-1 rounded-field px-1.5 text-small font-semibold whitespace-nowrap text-gold hover:underline print:hidden">
          <Trans>Change all {all}</Trans>
          <ChevronDown size={14} aria-hidden />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            className="z-30 min-w-40 rounded-card border border-line bg-leaf p-1.5 shadow-lift"
          >
            {may.map((c) => (
              <DropdownMenu.Item key={c} className={item} onSelect={() => setChosen(c)}>
                {names[c]}…
              </DropdownMenu.Item>
            ))}
            {exported !== undefined && role === "curator" && (
              <DropdownMenu.Item asChild className={item}>
                <a href={`/api/v1/export?format=bundle&${exported}`} download>
                  <Trans>Export</Trans>
                </a>
              </DropdownMenu.Item>
            )}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <Dialog
        open={chosen !== undefined}
        onOpen={(open) => !open && done()}
        title={chosen ? `${names[chosen]}: ${plural(all, { one: "1 entry", other: "# entries" })}` : ""}
        wide
      >
        {chosen === "label" && <Label entries={entries} done={done} />}
        {chosen === "transfer" && <Transfer entries={entries} done={done} />}
        {chosen && chosen !== "label" && chosen !== "transfer" && (
          <Act key={chosen} action={chosen} name={names[chosen]} entries={entries} done={done} />
        )}
      </Dialog>
    </>
  );
}
