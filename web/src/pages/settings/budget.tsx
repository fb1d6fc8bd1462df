import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { Refused } from "../../data/api";
import { useSetBudget, type RegisterOf } from "../../data/register";
import { Button, fieldLook, Trouble } from "../../parts/basics";
import { money } from "./register";

/** What a month costs against the cap: each application's share, and what would have to go. */
export function Budget({ register, etag }: { register: RegisterOf; etag: string }) {
  const { budget, month } = register;
  const shares = register.items
    .filter((i) => (i.cost_month ?? 0) > 0 && i.status !== "gone")
    .sort((a, b) => (b.cost_month ?? 0) - (a.cost_month ?? 0));
  const whole = Math.max(budget.cap ?? 0, month.total, 1);
  return (
    <section aria-label={t`What a month costs`} className="mb-8 rounded-card border border-line bg-leaf p-4">
      <div className="mb-3 flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <p className="text-lead">
          <b>{money(month.total)}</b> {budget.cap !== undefined && t`of ${money(budget.cap)}`}{" "}
          <Trans>{budget.currency} a month</Trans>
        </p>
        <p className={month.level ? "font-semibold text-stop" : "text-faded"}>
          {month.level === "over" && t`▲ ${money(-month.left)} over the cap`}
          {month.level === "near" && t`▲ Nearly at the cap: ${money(month.left)} left`}
          {!month.level && budget.cap !== undefined && t`${money(month.left)} left`}
        </p>
        <Cap register={register} etag={etag} />
      </div>
      <div
        role="img"
        aria-label={shares.map((s) => `${s.title} ${money(s.cost_month)}`).join(", ")}
        className="flex h-7 w-full overflow-hidden rounded-field border border-line bg-paper"
      >
        {shares.map((s, i) => (
          <span
            key={s.name}
            title={`${s.title}: ${money(s.cost_month)}`}
            className={`flex items-center overflow-hidden border-e-2 border-leaf px-2 text-small whitespace-nowrap text-ink ${i % 2 ? "bg-gilt/20" : "bg-gilt/40"}`}
            style={{ width: `${(100 * (s.cost_month ?? 0)) / whole}%` }}
          >
            {s.title}
          </span>
        ))}
      </div>
      {month.would_go && (
        <p className="mt-3">
          <Trans>
            To stay below the cap this would have to go:{" "}
            {month.would_go.map((g) => `${g.title} (${money(g.cost)})`).join(", ")}.
          </Trans>
        </p>
      )}
    </section>
  );
}

function Cap({ register, etag }: { register: RegisterOf; etag: string }) {
  const [open, setOpen] = useState(false);
  const [cap, setCap] = useState(String(register.budget.cap ?? ""));
  const [currency, setCurrency] = useState(register.budget.currency);
  const set = useSetBudget();
  const over = set.error instanceof Refused && set.error.problems.some((p) => p.code === "cap");
  if (!open) {
    return (
      <Button weight="text" className="ms-auto" onClick={() => setOpen(true)}>
        <Trans>Change the cap</Trans>
      </Button>
    );
  }
  return (
    <form
      aria-label={t`The cap`}
      className="ms-auto flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        const budget = { cap: cap.trim() ? Number(cap) : undefined, currency, over_cap: over || undefined };
        set.mutate(
          { etag, budget },
          {
            onSuccess: () => {
              setOpen(false);
              toast.success(t`The cap is changed`);
            },
          },
        );
      }}
    >
      <label htmlFor="cap" className="text-small">
        <Trans>Cap</Trans>
      </label>
      <input
        id="cap"
        inputMode="decimal"
        className={`${fieldLook} !w-28`}
        value={cap}
        onChange={(e) => setCap(e.target.value)}
      />
      <label htmlFor="currency" className="text-small">
        <Trans>Currency</Trans>
      </label>
      <input
        id="currency"
        maxLength={3}
        className={`${fieldLook} !w-16`}
        value={currency}
        onChange={(e) => setCurrency(e.target.value.toUpperCase())}
      />
      <Button type="submit" weight="main" disabled={set.isPending}>
        {over ? t`Save all the same` : t`Save`}
      </Button>
      <div className="w-full">
        <Trouble error={set.error} title={over ? t`This passes the cap` : t`The cap stays as it was`} />
      </div>
    </form>
  );
}
