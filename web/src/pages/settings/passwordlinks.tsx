import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { toast } from "sonner";
import { useImportPeople, useNewPasswordLink, type PasswordLink } from "../../data/library";
import { timeWords } from "../../data/times";
import { Button, Trouble } from "../../parts/basics";
import { TableFile } from "../../parts/tablefile";

/** People from a table; each gets a link, which is shown this once. */
export function ImportPeople() {
  const add = useImportPeople();
  return (
    <>
      <TableFile
        title={t`From a table`}
        hint={t`CSV with the columns name, full_name, role and department: all of them or none.`}
        error={add.error}
        busy={add.isPending}
        read={(table) => add.mutate(table)}
      />
      {add.data && <PasswordLinks links={add.data.items} />}
    </>
  );
}

/** A new link for one person; one that they had before is dead. */
export function NewPasswordLink({ name }: { name: string }) {
  const link = useNewPasswordLink();
  if (link.data) return <PasswordLinks links={[link.data]} />;
  return (
    <div className="flex flex-col gap-4">
      <p className="text-faded">
        <Trans>They set a password with it, once. A link that they had before is dead from then on.</Trans>
      </p>
      <Trouble error={link.error} />
      <Button
        weight="main"
        className="self-start"
        disabled={link.isPending}
        onClick={() => link.mutate(name)}
      >
        <Trans>Make a link</Trans>
      </Button>
    </div>
  );
}

/** Links to set a password with, to be handed over by the curator: they are shown this once. */
export function PasswordLinks({ links }: { links: PasswordLink[] }) {
  const addressOf = (l: PasswordLink) => `${window.location.origin}/set-password#${l.code}`;
  const copy = (text: string) =>
    void navigator.clipboard.writeText(text).then(
      () => toast.success(t`Copied`),
      () => toast.error(t`It could not be copied: mark it, and copy it by hand`),
    );
  return (
    <section aria-label={t`Links to set a password`} className="mt-4">
      <p className="mb-2">
        <b>
          {links.length === 1
            ? t`Hand this over now: it is shown this once.`
            : t`Hand these over now: they are shown this once.`}
        </b>{" "}
        {links[0] &&
          plural(links.length, {
            one: `It works once, until ${timeWords(links[0].until)}.`,
            other: `Each works once, until ${timeWords(links[0].until)}.`,
          })}
      </p>
      <ul className="mb-3 divide-y divide-line rounded-card border border-line bg-leaf">
        {links.map((l) => (
          <li key={l.person.name} className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-2">
            <span className="w-40 font-semibold">{l.person.full_name}</span>
            <code className="min-w-0 flex-1 font-mono text-small break-all">{addressOf(l)}</code>
            <Button weight="text" onClick={() => copy(addressOf(l))}>
              <Trans>Copy</Trans>
              <span className="sr-only">
                <Trans>the link of {l.person.full_name}</Trans>
              </span>
            </Button>
          </li>
        ))}
      </ul>
      {links.length > 1 && (
        <Button onClick={() => copy(links.map((l) => `${l.person.full_name}\t${addressOf(l)}`).join("\n"))}>
          <Trans>Copy all</Trans>
        </Button>
      )}
    </section>
  );
}
