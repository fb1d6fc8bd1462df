import { t } from "@lingui/core/macro";
import { useState } from "react";
import { toast } from "sonner";
import { Refused } from "../../data/api";
import { usePeople } from "../../data/people";
import { useAddRegistered, useChangeRegistered, type Registered, type RegisterOf } from "../../data/register";
import { nameFrom } from "../../data/words";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { OneOf } from "../../parts/oneof";
import type { Editing } from "./register";

const statuses = [
  ["allowed", t`Allowed`],
  ["on-trial", t`On trial`],
  ["not-to-be-used", t`Not to be used`],
  ["gone", t`Gone: its entries are told`],
] as const;

interface Form {
  title: string;
  status: Registered["status"];
  keeper: string;
  notes: string;
  replaces: string;
  renews: string;
  numbers: Record<"token_limit" | "price_in" | "price_out" | "cost_month" | "seats", string>;
}

function begin(item?: Registered): Form {
  const text = (n?: number) => (n === undefined ? "" : String(n));
  return {
    title: item?.title ?? "",
    status: item?.status ?? "allowed",
    keeper: item?.keeper ?? "",
    notes: item?.notes ?? "",
    replaces: item?.replaces ?? "",
    renews: item?.renews ?? "",
    numbers: {
      token_limit: text(item?.token_limit),
      price_in: text(item?.price_in),
      price_out: text(item?.price_out),
      cost_month: text(item?.cost_month),
      seats: text(item?.seats),
    },
  };
}

/** What is kept of an application or a model. What would pass the cap is asked about before it is kept. */
export function RegisterDialog({
  editing,
  register,
  etag,
  close,
}: {
  editing: Editing;
  register: RegisterOf;
  etag: string;
  close: () => void;
}) {
  const item = typeof editing === "string" ? undefined : editing;
  const facet = item?.facet ?? (editing as string);
  const [form, setForm] = useState(() => begin(item));
  const add = useAddRegistered();
  const change = useChangeRegistered();
  const error = add.error ?? change.error;
  const over = error instanceof Refused && error.problems.some((p) => p.code === "cap");
  const save = () => {
    const details = detailsOf(form, over);
    const done = { onSuccess: () => (close(), void toast.success(t`${form.title} is saved`)) };
    if (item)
      change.mutate({ etag, facet, term: item.name, change: { title: form.title, ...details } }, done);
    else add.mutate({ facet, name: nameFrom(form.title), title: form.title, ...details }, done);
  };
  return (
    <Dialog
      open
      onOpen={close}
      title={item ? item.title : t`Register ${facet === "model" ? t`a model` : t`an application`}`}
    >
      <form
        className="flex flex-col gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          save();
        }}
      >
        <Trouble error={error} title={over ? t`This passes the cap` : t`Nothing is changed`} />
        <Fields facet={facet} form={form} set={setForm} register={register} own={item?.name} />
        <Button
          type="submit"
          weight="main"
          className="self-start"
          disabled={add.isPending || change.isPending}
        >
          {over ? t`Save all the same` : t`Save`}
        </Button>
      </form>
    </Dialog>
  );
}

function detailsOf(form: Form, over: boolean) {
  const number = (text: string) => (text.trim() === "" ? undefined : Number(text.replaceAll(",", "")));
  const { token_limit, price_in, price_out, cost_month, seats } = form.numbers;
  return {
    status: form.status,
    keeper: form.keeper || undefined,
    notes: form.notes || undefined,
    replaces: form.replaces || undefined,
    renews: form.renews || undefined,
    token_limit: number(token_limit),
    price_in: number(price_in),
    price_out: number(price_out),
    cost_month: number(cost_month),
    seats: number(seats),
    over_cap: over || undefined,
  };
}

function Fields({
  facet,
  form,
  set,
  register,
  own,
}: {
  facet: string;
  form: Form;
  set: (f: Form) => void;
  register: RegisterOf;
  own?: string;
}) {
  const people = usePeople().data?.items.filter((p) => p.active) ?? [];
  const others = register.items.filter((i) => i.facet === facet && i.name !== own);
  const number = (name: keyof Form["numbers"], label: string) => (
    <Field id={`reg-${name}`} label={label}>
      <input
        id={`reg-${name}`}
        inputMode="decimal"
        className={fieldLook}
        value={form.numbers[name]}
        onChange={(e) => set({ ...form, numbers: { ...form.numbers, [name]: e.target.value } })}
      />
    </Field>
  );
  return (
    <>
      <div className="grid gap-4 sm:grid-cols-2">
        <Field id="reg-title" label={t`What people call it`}>
          <input
            id="reg-title"
            required
            className={fieldLook}
            value={form.title}
            onChange={(e) => set({ ...form, title: e.target.value })}
          />
        </Field>
        <Field id="reg-status" label={t`Status`}>
          <select
            id="reg-status"
            className={fieldLook}
            value={form.status}
            onChange={(e) => set({ ...form, status: e.target.value as Form["status"] })}
          >
            {statuses.map(([value, name]) => (
              <option key={value} value={value}>
                {name}
              </option>
            ))}
          </select>
        </Field>
        <Field id="reg-keeper" label={t`Who looks after it`}>
          <OneOf
            id="reg-keeper"
            value={form.keeper}
            none={t`Nobody yet`}
            of={people.map((p) => ({ name: p.name, title: p.full_name }))}
            set={(keeper) => set({ ...form, keeper })}
          />
        </Field>
        <Field id="reg-replaces" label={t`What it replaces`}>
          <OneOf
            id="reg-replaces"
            value={form.replaces}
            none={t`Nothing`}
            of={others.map((o) => ({ name: o.name, title: o.title }))}
            set={(replaces) => set({ ...form, replaces })}
          />
        </Field>
        {facet === "model" ? (
          <>
            {number("token_limit", t`Tokens that it takes at once`)}
            <span className="max-sm:hidden" />
            {number("price_in", t`A million tokens in, ${register.budget.currency}`)}
            {number("price_out", t`A million tokens out, ${register.budget.currency}`)}
          </>
        ) : (
          <>
            {number("cost_month", t`Cost a month, ${register.budget.currency}`)}
            {number("seats", t`Seats`)}
            <Field id="reg-renews" label={t`Renewed on`}>
              <input
                id="reg-renews"
                type="date"
                className={fieldLook}
                value={form.renews}
                onChange={(e) => set({ ...form, renews: e.target.value })}
              />
            </Field>
          </>
        )}
      </div>
      <Field id="reg-notes" label={t`Notes`}>
        <textarea
          id="reg-notes"
          rows={3}
          className={fieldLook}
          value={form.notes}
          onChange={(e) => set({ ...form, notes: e.target.value })}
        />
      </Field>
    </>
  );
}
