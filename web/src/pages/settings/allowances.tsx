import { locale } from "../../languages/languages";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { isNear, useAllowances, useSetAllowance, type Allowance } from "../../data/allowances";
import { useLabels } from "../../data/hooks";
import { usePeople } from "../../data/people";
import { termTitle } from "../../data/words";
import { Button, Empty, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { OneOf } from "../../parts/oneof";

/** What people and departments may use up in a month by asking models. */
export function AllowancesPage() {
  const now = useAllowances();
  const facets = useLabels().data;
  const [changed, setChanged] = useState<Allowance | "new">();
  if (now.error) return <Trouble error={now.error} title={t`The allowances cannot be shown`} />;
  if (!now.data) return <Waiting />;
  const { all = [], currency } = now.data;
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <div className="min-w-60 flex-1">
          <h1 className="text-title max-sm:text-head">
            <Trans>Allowances</Trans>
          </h1>
          <p className="text-faded">
            <Trans>
              Words of replies, and money by the register's prices, that a colleague or a department may use
              up in a month. What would pass an allowance is not begun.
            </Trans>
          </p>
        </div>
        <Button weight="main" onClick={() => setChanged("new")}>
          <Trans>Add an allowance</Trans>
        </Button>
      </header>
      {all.length === 0 && (
        <Empty title={t`No allowance yet`}>
          <Trans>Everybody may ask as much as they like.</Trans>
        </Empty>
      )}
      <ul className="divide-y divide-line border-y border-line empty:hidden">
        {all.map((a) => (
          <li key={a.kind + a.name} className="flex flex-wrap items-center gap-x-5 gap-y-2 px-1 py-3">
            <span className="w-56 min-w-0">
              <b>{a.full_name ?? termTitle(facets, "department", a.name)}</b>
              <span className="block text-small text-faded">
                {a.kind === "department" ? t`a department` : a.name}
              </span>
            </span>
            <Bar name={t`words`} of={a.words} spent={a.spent_words} near={isNear(a)} digits={0} />
            <Bar name={currency} of={a.money} spent={a.spent_money} near={isNear(a)} digits={2} />
            <Button className="ms-auto" onClick={() => setChanged(a)}>
              <Trans>Change</Trans>
            </Button>
          </li>
        ))}
      </ul>
      <Dialog
        open={changed !== undefined}
        onOpen={(open) => !open && setChanged(undefined)}
        title={changed === "new" ? t`Add an allowance` : t`Change the allowance`}
      >
        {changed && (
          <Form
            allowance={changed === "new" ? undefined : changed}
            currency={currency}
            done={() => setChanged(undefined)}
          />
        )}
      </Dialog>
    </>
  );
}

function Bar(props: { name: string; of?: number; spent: number; near: boolean; digits: number }) {
  const { name, of, spent, near, digits } = props;
  const shown = (n: number) => n.toLocaleString(locale(), { maximumFractionDigits: digits });
  if (of === undefined) return null;
  return (
    <span className="w-64">
      <span className="block text-small">
        <Trans>
          {shown(spent)} of {shown(of)} {name}
        </Trans>
        {near && spent >= 0.9 * of && (
          <b className="text-stop">
            <Trans>▲ nearly used up</Trans>
          </b>
        )}
      </span>
      <span aria-hidden className="mt-1 block h-2 overflow-hidden rounded-full border border-line bg-paper">
        <span
          className={`block h-full ${spent >= 0.9 * of ? "bg-stop" : "bg-gold"}`}
          style={{ width: `${Math.min(100, (100 * spent) / Math.max(of, 0.01))}%` }}
        />
      </span>
    </span>
  );
}

function Form(props: { allowance?: Allowance; currency: string; done: () => void }) {
  const { allowance, currency, done } = props;
  const people = usePeople().data?.items ?? [];
  const departments = useLabels().data?.find((f) => f.name === "department")?.terms ?? [];
  const [kind, setKind] = useState<Allowance["kind"]>(allowance?.kind ?? "department");
  const [name, setName] = useState(allowance?.name ?? "");
  const [words, setWords] = useState(String(allowance?.words ?? ""));
  const [money, setMoney] = useState(String(allowance?.money ?? ""));
  const set = useSetAllowance();
  const send = (body: { words?: number; money?: number }) =>
    set.mutate(
      { kind, name, body: { ...body, number: allowance?.number ?? 0 } },
      {
        onSuccess: () => {
          toast.success(t`Said`);
          done();
        },
      },
    );
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        send({
          words: words === "" ? undefined : Number(words),
          money: money === "" ? undefined : Number(money),
        });
      }}
    >
      {!allowance && (
        <>
          <Field id="allowance-kind" label={t`For`}>
            <select
              id="allowance-kind"
              className={fieldLook}
              value={kind}
              onChange={(e) => {
                setKind(e.target.value as Allowance["kind"]);
                setName("");
              }}
            >
              <option value="department">
                <Trans>a department, all of it together</Trans>
              </option>
              <option value="person">
                <Trans>a colleague</Trans>
              </option>
            </select>
          </Field>
          <Field id="allowance-name" label={t`Which`}>
            <OneOf
              id="allowance-name"
              value={name}
              none={t`Choose…`}
              of={
                kind === "department"
                  ? departments.filter((t) => !t.retired).map((t) => ({ name: t.name, title: t.title }))
                  : people.filter((p) => p.active).map((p) => ({ name: p.name, title: p.full_name }))
              }
              set={setName}
            />
          </Field>
        </>
      )}
      <Field id="allowance-words" label={t`Words a month`} hint={t`Left empty, as many as they like.`}>
        <input
          id="allowance-words"
          type="number"
          min={0}
          className={fieldLook}
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
      </Field>
      <Field id="allowance-money" label={t`${currency} a month`}>
        <input
          id="allowance-money"
          type="number"
          min={0}
          step={0.01}
          className={fieldLook}
          value={money}
          onChange={(e) => setMoney(e.target.value)}
        />
      </Field>
      <Trouble error={set.error} title={t`It is as it was`} />
      <p className="flex gap-3">
        <Button
          type="submit"
          weight="main"
          disabled={!name || set.isPending || (words === "" && money === "")}
        >
          <Trans>Save</Trans>
        </Button>
        {allowance && (
          <Button disabled={set.isPending} onClick={() => send({})}>
            <Trans>No limit any more</Trans>
          </Button>
        )}
      </p>
    </form>
  );
}
