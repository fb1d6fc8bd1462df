import { decimals, listWords, whole } from "../languages/figures";
import { t } from "@lingui/core/macro";
import { useQuery } from "@tanstack/react-query";
import { answered, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Allowance = Schemas["Allowance"];

/** What may be used up in a month: one's own, and to curators all. */
export function useAllowances() {
  return useQuery({ queryKey: ["allowances"], queryFn: () => answered(api.GET("/allowances")) });
}

export function useSetAllowance() {
  return useChange(
    ({ kind, name, body }: { kind: Allowance["kind"]; name: string; body: Schemas["SetAllowance"] }) =>
      answered(api.PUT("/allowances/{kind}/{name}", { params: { path: { kind, name } }, body })),
  );
}

/** What is left of an allowance, in words. */
export function leftWords(a: Allowance, currency: string): string {
  const parts: string[] = [];
  if (a.words !== undefined)
    parts.push(t`${whole(Math.max(0, a.words - a.spent_words))} of ${whole(a.words)} words`);
  if (a.money !== undefined)
    parts.push(
      t`${decimals(Math.max(0, a.money - a.spent_money), 2)} of ${decimals(a.money, 2)} ${currency}`,
    );
  return listWords(parts);
}

/** Whether less than a tenth of an allowance is left. */
export function isNear(a: Allowance): boolean {
  return (
    (a.words !== undefined && a.spent_words >= 0.9 * a.words) ||
    (a.money !== undefined && a.spent_money >= 0.9 * a.money)
  );
}
