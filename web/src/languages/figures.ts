import { locale } from "./languages";

/** A number with so many digits after the point, as the page's language writes it. */
export function decimals(n: number, digits: number): string {
  return n.toLocaleString(locale(), { minimumFractionDigits: digits, maximumFractionDigits: digits });
}

/** A figure with two digits after the point at most. */
export function measured(n: number): string {
  return n.toLocaleString(locale(), { maximumFractionDigits: 2 });
}

/** A whole number, its thousands set apart. */
export function whole(n: number): string {
  return Math.round(n).toLocaleString(locale());
}

/** "a, b and c", or with "or", as the page's language has it. */
export function listWords(
  all: Iterable<string>,
  type: "conjunction" | "disjunction" = "conjunction",
): string {
  return new Intl.ListFormat(locale(), { type }).format(all);
}
