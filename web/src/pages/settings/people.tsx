import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { useLabels, useSession } from "../../data/hooks";
import type { Colleague } from "../../data/people";
import { useChangePerson, useDeletePerson, usePeople } from "../../data/people";
import { dateWords } from "../../data/times";
import { roleWords, termTitle } from "../../data/words";
import { Button, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { Transfer } from "../../parts/transfer";
import { ImportPeople, NewPasswordLink } from "./passwordlinks";
import { NewPerson, roles, type Role } from "./newperson";

/** Who is in the library, and what they own. */
export function PeoplePage() {
  const people = usePeople();
  const [adding, setAdding] = useState(false);
  if (people.error) return <Trouble error={people.error} title={t`The people cannot be shown`} />;
  if (!people.data) return <Waiting lines={10} />;
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <h1 className="flex-1 text-title max-sm:text-head">
          <Trans>People</Trans>
        </h1>
        <Button weight="main" onClick={() => setAdding(true)}>
          <Trans>Add someone</Trans>
        </Button>
      </header>
      <ul className="mb-10 divide-y divide-line rounded-card border border-line bg-leaf">
        {people.data.items.map((p) => (
          <Row key={p.name} person={p} />
        ))}
      </ul>
      <ImportPeople />
      <Dialog open={adding} onOpen={setAdding} title={t`Add someone`} wide>
        <NewPerson />
      </Dialog>
    </>
  );
}

function Row({ person: p }: { person: Colleague }) {
  const facets = useLabels().data;
  const me = useSession().data?.name;
  const change = useChangePerson();
  const [away, setAway] = useState(false);
  const [link, setLink] = useState(false);
  const [deleting, setDeleting] = useState(false);
  const tell = (done: string) => ({
    onSuccess: () => toast.success(done),
    onError: (e: Error) => toast.error(e.message),
  });
  return (
    <li className="flex flex-wrap items-center gap-x-4 gap-y-2 px-4 py-2.5">
      <div className="min-w-56 flex-1">
        <p className={p.active ? "font-semibold" : "font-semibold text-faded line-through"}>{p.full_name}</p>
        <p className="text-small text-faded">
          {p.name}
          {p.department && ` · ${termTitle(facets, "department", p.department)}`}
          {t` · owns ${p.owns}`}
          {p.away_from && t` · away ${dateWords(p.away_from)} to ${dateWords(p.away_until)}`}
          {!p.active && t` · has left`}
        </p>
      </div>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2 sm:grid sm:grid-cols-[minmax(8rem,max-content)_minmax(4.5rem,max-content)_minmax(8rem,max-content)_minmax(7rem,max-content)_minmax(6rem,max-content)]">
        <select
          aria-label={t`The role of ${p.full_name}`}
          className={`${fieldLook} !w-auto min-w-32`}
          value={p.role}
          disabled={!p.active}
          onChange={(e) =>
            change.mutate(
              { name: p.name, body: { role: e.target.value as Role } },
              tell(t`${p.full_name} is a ${roleWords[e.target.value as Role]} now`),
            )
          }
        >
          {roles.map((r) => (
            <option key={r} value={r}>
              {roleWords[r]}
            </option>
          ))}
        </select>
        <Button weight="text" onClick={() => setAway(true)} disabled={!p.active}>
          <Trans>Away…</Trans>
          <span className="sr-only">
            <Trans>for {p.full_name}</Trans>
          </span>
        </Button>
        {p.active ? (
          <Button weight="text" onClick={() => setLink(true)}>
            <Trans>Password link…</Trans>
            <span className="sr-only">
              <Trans>for {p.full_name}</Trans>
            </span>
          </Button>
        ) : (
          <Button weight="text" onClick={() => setDeleting(true)}>
            <Trans>Delete…</Trans>
            <span className="sr-only"> {p.full_name}</span>
          </Button>
        )}
        <span>{p.owns > 0 && <Transfer allOf={p.name} quiet />}</span>
        <span>
          {p.name !== me && (
            <Button
              weight="text"
              onClick={() =>
                change.mutate(
                  { name: p.name, body: { active: !p.active } },
                  tell(p.active ? t`${p.full_name} is signed out everywhere` : t`${p.full_name} is back`),
                )
              }
            >
              {p.active ? t`Has left` : t`Is back`}
              <span className="sr-only">: {p.full_name}</span>
            </Button>
          )}
        </span>
      </div>
      <Dialog wide open={link} onOpen={setLink} title={t`A link for ${p.full_name} to set a password`}>
        <NewPasswordLink name={p.name} />
      </Dialog>
      <Dialog open={deleting} onOpen={setDeleting} title={t`Delete ${p.full_name}?`}>
        <Delete person={p} done={() => setDeleting(false)} />
      </Dialog>
      <Dialog open={away} onOpen={setAway} title={t`When ${p.full_name} is away`}>
        <Away person={p} done={() => setAway(false)} />
      </Dialog>
    </li>
  );
}

function Delete({ person: p, done }: { person: Colleague; done: () => void }) {
  const remove = useDeletePerson();
  return (
    <div className="flex flex-col gap-4">
      <p>
        <Trans>
          What is theirs alone is deleted: how they signed in, their tries, favourites and news. What they
          wrote and decided stays, and the record of changes with it; there they are <em>Someone who left</em>{" "}
          from now on.
        </Trans>
      </p>
      <p className="text-faded">
        <Trans>Texts that say their name keep it.</Trans>{" "}
        {p.owns > 0
          ? t`They own ${plural(p.owns, { one: "an entry: transfer that", other: "# entries: transfer those" })} first.`
          : t`This cannot be undone.`}
      </p>
      <Trouble error={remove.error} />
      <Button
        weight="main"
        className="self-start"
        disabled={remove.isPending || p.owns > 0}
        onClick={() =>
          remove.mutate(p.name, {
            onSuccess: () => {
              done();
              toast.success(t`${p.full_name} is deleted`);
            },
          })
        }
      >
        <Trans>Delete</Trans>
      </Button>
    </div>
  );
}

function Away({ person, done }: { person: Colleague; done: () => void }) {
  const [from, setFrom] = useState(person.away_from ?? "");
  const [until, setUntil] = useState(person.away_until ?? "");
  const change = useChangePerson();
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate(
          { name: person.name, body: { away_from: from, away_until: until } },
          { onSuccess: done },
        );
      }}
    >
      <p className="text-faded">
        <Trans>Meanwhile nobody asks them for a review. Empty days end it.</Trans>
      </p>
      <Trouble error={change.error} />
      <Field id="away-from" label={t`First day`}>
        <input
          id="away-from"
          type="date"
          className={fieldLook}
          value={from}
          onChange={(e) => setFrom(e.target.value)}
        />
      </Field>
      <Field id="away-until" label={t`Last day`}>
        <input
          id="away-until"
          type="date"
          className={fieldLook}
          value={until}
          onChange={(e) => setUntil(e.target.value)}
        />
      </Field>
      <Button type="submit" weight="main" disabled={change.isPending}>
        <Trans>Save</Trans>
      </Button>
    </form>
  );
}
