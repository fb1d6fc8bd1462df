import { whole } from "../../languages/figures";
import { locale } from "../../languages/languages";
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Plus } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import { useUndoLabels } from "../../data/library";
import { useMoveLabel, useRegister, type Registered, type RegisterOf } from "../../data/register";
import { dateWords } from "../../data/times";
import { Button, Trouble, Waiting } from "../../parts/basics";
import { OneOf } from "../../parts/oneof";
import { Budget } from "./budget";
import { RegisterDialog } from "./registerform";

export type Editing = Registered | "application" | "model"; // one that is there, or a new one of a facet

/** The applications and models that are used: whether they may be, and what they cost. */
export function RegisterPage() {
  const register = useRegister();
  const [editing, setEditing] = useState<Editing>();
  if (register.error) return <Trouble error={register.error} title={t`The register cannot be shown`} />;
  if (!register.data) return <Waiting lines={10} />;
  const { data, etag } = register.data;
  const of = (facet: string) => data.items.filter((i) => i.facet === facet);
  return (
    <>
      <h1 className="text-title max-sm:text-head">
        <Trans>Register</Trans>
      </h1>
      <p className="mb-5 max-w-prose text-faded">
        <Trans>
          Their names are labels: whoever looks for what fits an application or a model finds it by them.
        </Trans>
      </p>
      <Budget key={data.number} register={data} etag={etag} />
      <Applications all={of("application")} register={data} edit={setEditing} />
      <Models all={of("model")} register={data} edit={setEditing} />
      {editing && (
        <RegisterDialog
          key={typeof editing === "string" ? editing : editing.facet + editing.name}
          editing={editing}
          register={data}
          etag={etag}
          close={() => setEditing(undefined)}
        />
      )}
    </>
  );
}

interface Listed {
  all: Registered[];
  register: RegisterOf;
  edit: (e: Editing) => void;
}

function Applications({ all, register, edit }: Listed) {
  return (
    <Group title={t`Applications`} add={() => edit("application")} addName={t`Register an application`}>
      <thead>
        <tr className="text-faded">
          <Th>
            <Trans>Application</Trans>
          </Th>
          <Th>
            <Trans>Status</Trans>
          </Th>
          <Th>
            <Trans>Looked after by</Trans>
          </Th>
          <Th right>
            <Trans>A month, {register.budget.currency}</Trans>
          </Th>
          <Th right>
            <Trans>Seats</Trans>
          </Th>
          <Th>
            <Trans>Renewed</Trans>
          </Th>
          <Th right>
            <Trans>On the shelf</Trans>
          </Th>
        </tr>
      </thead>
      <tbody className="divide-y divide-line">
        {all.map((a) => (
          <tr key={a.name}>
            <Name item={a} all={all} edit={edit} />
            <td className="pe-4">
              <Status item={a} />
            </td>
            <td className="pe-4">{a.keeper_name}</td>
            <td className="pe-4 text-end tabular-nums">{money(a.cost_month)}</td>
            <td className="pe-4 text-end tabular-nums">{a.seats}</td>
            <td className="pe-4 whitespace-nowrap">{a.renews && dateWords(a.renews)}</td>
            <td className="text-end tabular-nums">{a.entries}</td>
          </tr>
        ))}
      </tbody>
    </Group>
  );
}

function Models({ all, register, edit }: Listed) {
  return (
    <Group title={t`Models`} add={() => edit("model")} addName={t`Register a model`}>
      <thead>
        <tr className="text-faded">
          <Th>
            <Trans>Model</Trans>
          </Th>
          <Th>
            <Trans>Status</Trans>
          </Th>
          <Th>
            <Trans>Looked after by</Trans>
          </Th>
          <Th right>
            <Trans>Tokens at once</Trans>
          </Th>
          <Th right>
            <Trans>A million in, {register.budget.currency}</Trans>
          </Th>
          <Th right>
            <Trans>A million out</Trans>
          </Th>
          <Th right>
            <Trans>On the shelf</Trans>
          </Th>
        </tr>
      </thead>
      <tbody className="divide-y divide-line">
        {all.map((m) => (
          <tr key={m.name}>
            <Name item={m} all={all} edit={edit} />
            <td className="pe-4">
              <Status item={m} />
            </td>
            <td className="pe-4">{m.keeper_name}</td>
            <td className="pe-4 text-end tabular-nums">
              {m.token_limit === undefined ? "" : whole(m.token_limit)}
            </td>
            <td className="pe-4 text-end tabular-nums">{money(m.price_in)}</td>
            <td className="pe-4 text-end tabular-nums">{money(m.price_out)}</td>
            <td className="text-end tabular-nums">{m.entries}</td>
          </tr>
        ))}
      </tbody>
    </Group>
  );
}

function Group(props: { title: string; add: () => void; addName: string; children: React.ReactNode }) {
  return (
    <section aria-label={props.title} className="mb-9">
      <div className="mb-1 flex items-end gap-4 border-b-2 border-gilt pb-1.5">
        <h2 className="text-lead">{props.title}</h2>
        <Button className="ms-auto" onClick={props.add}>
          <Plus size={15} aria-hidden />
          {props.addName}
        </Button>
      </div>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-label={t`${props.title}, as a table`}>
        <table className="w-full">{props.children}</table>
      </div>
    </section>
  );
}

function Th({ right, children }: { right?: boolean; children: React.ReactNode }) {
  return (
    <th className={`py-2 pe-4 text-small font-semibold last:pe-0 ${right ? "text-end" : ""}`}>{children}</th>
  );
}

function Name({ item, all, edit }: { item: Registered; all: Registered[]; edit: (e: Editing) => void }) {
  return (
    <th scope="row" className="min-w-52 py-2 pe-4 font-normal">
      <button type="button" className="font-semibold text-gold hover:underline" onClick={() => edit(item)}>
        {item.title}
      </button>
      {item.notes && <span className="block text-small text-faded">{item.notes}</span>}
      {item.status === "gone" && item.entries > 0 && <Move item={item} all={all} />}
    </th>
  );
}

const signs: Record<Registered["status"], string> = {
  allowed: t`✓ Allowed`,
  "on-trial": t`◑ On trial`,
  "not-to-be-used": t`✕ Not to be used`,
  gone: t`✕ Gone`,
};

function Status({ item }: { item: Registered }) {
  return <span className="whitespace-nowrap">{signs[item.status]}</span>;
}

/** Of one that is gone: gives its entries another in its place. */
function Move({ item, all }: { item: Registered; all: Registered[] }) {
  const [to, setTo] = useState("");
  const move = useMoveLabel();
  const undo = useUndoLabels();
  const others = all.filter((o) => o.name !== item.name && o.status !== "gone");
  const go = () =>
    move.mutate(
      { facet: item.facet, term: item.name, to },
      {
        onSuccess: (done) =>
          toast.success(
            t`${plural(done.entries, { one: "One entry is", other: "# entries are" })} labelled anew`,
            {
              action: done.undo ? { label: t`Undo`, onClick: () => undo.mutate(done.undo!) } : undefined,
            },
          ),
        onError: (e) => toast.error(e.message),
      },
    );
  return (
    <span className="mt-1 flex flex-wrap items-center gap-2 text-small">
      <label htmlFor={`move-${item.name}`}>
        <Trans>Move its entries to</Trans>
      </label>
      <OneOf
        id={`move-${item.name}`}
        className="!w-40"
        value={to}
        none="Choose …"
        of={others.map((o) => ({ name: o.name, title: o.title }))}
        set={setTo}
      />
      <Button className="!py-1" disabled={!to || move.isPending} onClick={go}>
        <Trans>Move</Trans>
      </Button>
    </span>
  );
}

/** An amount as people write it. */
export function money(n: number | undefined): string {
  return n === undefined ? "" : n.toLocaleString(locale(), { minimumFractionDigits: n % 1 ? 2 : 0 });
}
