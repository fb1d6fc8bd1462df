import { useState } from "react";
import { toast } from "sonner";
import { useLabels, useSession } from "../../data/hooks";
import type { Colleague } from "../../data/people";
import { useChangePerson, useDeletePerson, usePeople } from "../../data/people";
import { dateWords } from "../../data/times";
import { termTitle } from "../../data/words";
import { Button, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { Transfer } from "../../parts/transfer";
import { ImportPeople, NewPasswordLink } from "./passwordlinks";
import { NewPerson, roles, type Role } from "./newperson";

/** Who is in the library, and what they own. */
export function PeoplePage() {
  const people = usePeople();
  const [adding, setAdding] = useState(false);
  if (people.error) return <Trouble error={people.error} title="The people cannot be shown" />;
  if (!people.data) return <Waiting lines={10} />;
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <h1 className="flex-1 text-title max-sm:text-head">People</h1>
        <Button weight="main" onClick={() => setAdding(true)}>
          Add someone
        </Button>
      </header>
      <ul className="mb-10 divide-y divide-line rounded-card border border-line bg-leaf">
        {people.data.items.map((p) => (
          <Row key={p.name} person={p} />
        ))}
      </ul>
      <ImportPeople />
      <Dialog open={adding} onOpen={setAdding} title="Add someone" wide>
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
          {` · owns ${p.owns}`}
          {p.away_from && ` · away ${dateWords(p.away_from)} to ${dateWords(p.away_until)}`}
          {!p.active && " · has left"}
        </p>
      </div>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2 sm:grid sm:grid-cols-[8rem_4.5rem_8rem_7rem_6rem]">
        <select
          aria-label={`The role of ${p.full_name}`}
          className={`${fieldLook} !w-32`}
          value={p.role}
          disabled={!p.active}
          onChange={(e) =>
            change.mutate(
              { name: p.name, body: { role: e.target.value as Role } },
              tell(`${p.full_name} is a ${e.target.value} now`),
            )
          }
        >
          {roles.map((r) => (
            <option key={r}>{r}</option>
          ))}
        </select>
        <Button weight="text" onClick={() => setAway(true)} disabled={!p.active}>
          Away…<span className="sr-only"> for {p.full_name}</span>
        </Button>
        {p.active ? (
          <Button weight="text" onClick={() => setLink(true)}>
            Password link…<span className="sr-only"> for {p.full_name}</span>
          </Button>
        ) : (
          <Button weight="text" onClick={() => setDeleting(true)}>
            Delete…<span className="sr-only"> {p.full_name}</span>
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
                  tell(p.active ? `${p.full_name} is signed out everywhere` : `${p.full_name} is back`),
                )
              }
            >
              {p.active ? "Has left" : "Is back"}
              <span className="sr-only">: {p.full_name}</span>
            </Button>
          )}
        </span>
      </div>
      <Dialog wide open={link} onOpen={setLink} title={`A link for ${p.full_name} to set a password`}>
        <NewPasswordLink name={p.name} />
      </Dialog>
      <Dialog open={deleting} onOpen={setDeleting} title={`Delete ${p.full_name}?`}>
        <Delete person={p} done={() => setDeleting(false)} />
      </Dialog>
      <Dialog open={away} onOpen={setAway} title={`When ${p.full_name} is away`}>
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
        What is theirs alone is deleted: how they signed in, their tries, favourites and news. What they wrote
        and decided stays, and the record of changes with it; there they are <em>Someone who left</em> from
        now on.
      </p>
      <p className="text-faded">
        Texts that say their name keep it.{" "}
        {p.owns > 0
          ? `They own ${p.owns === 1 ? "an entry: transfer that" : `${p.owns} entries: transfer those`} first.`
          : "This cannot be undone."}
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
              toast.success(`${p.full_name} is deleted`);
            },
          })
        }
      >
        Delete
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
      <p className="text-faded">Meanwhile nobody asks them for a review. Empty days end it.</p>
      <Trouble error={change.error} />
      <Field id="away-from" label="First day">
        <input
          id="away-from"
          type="date"
          className={fieldLook}
          value={from}
          onChange={(e) => setFrom(e.target.value)}
        />
      </Field>
      <Field id="away-until" label="Last day">
        <input
          id="away-until"
          type="date"
          className={fieldLook}
          value={until}
          onChange={(e) => setUntil(e.target.value)}
        />
      </Field>
      <Button type="submit" weight="main" disabled={change.isPending}>
        Save
      </Button>
    </form>
  );
}
