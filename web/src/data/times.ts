import { locale } from "../languages/languages";
import { t } from "@lingui/core/macro";
/** Times are shown as the library has them: in one zone, wherever one reads. */
let zone: string | undefined;

export function setZone(name: string | undefined) {
  zone = name || undefined;
}

export function zoneName(): string {
  return (zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone).replaceAll("_", " ");
}

const aDay = /^\d{4}-\d{2}-\d{2}$/;

/** A moment's day in the library's zone, as 2026-12-01; a day is itself. */
function dayOf(at: string | Date): string {
  if (typeof at === "string" && aDay.test(at)) return at;
  return new Intl.DateTimeFormat("en-CA", { timeZone: zone }).format(new Date(at));
}

/** A day or a moment as "1 December", with the year where it is another one. */
export function dateWords(at: string | undefined): string {
  if (!at) return "";
  const day = dayOf(at);
  return new Intl.DateTimeFormat(locale(), {
    day: "numeric",
    month: "long",
    year: day.slice(0, 4) === dayOf(new Date()).slice(0, 4) ? undefined : "numeric",
    timeZone: "UTC",
  }).format(new Date(day));
}

/** A moment with its time, as "1 December at 09:00". */
export function timeWords(at: string): string {
  const time = new Intl.DateTimeFormat(locale(), { hour: "2-digit", minute: "2-digit", timeZone: zone });
  return t`${dateWords(at)} at ${time.format(new Date(at))}`;
}

/** How long ago, in whole days. */
export function agoWords(at: string, now = new Date()): string {
  const days = Math.round((Date.parse(dayOf(now)) - Date.parse(dayOf(at))) / 86_400_000);
  if (days <= 0) return t`today`;
  if (days === 1) return t`yesterday`;
  return t`${days} days ago`;
}

/** The moment at which the library's clocks show a time, given as 2026-12-01T09:00. */
export function momentOf(local: string): string {
  const wanted = Date.parse(local + "Z");
  const shows = (at: number) => {
    const parts = new Intl.DateTimeFormat("en-CA", {
      timeZone: zone,
      hourCycle: "h23",
      year: "numeric",
      month: "2-digit",
      day: "2-digit",
      hour: "2-digit",
      minute: "2-digit",
    }).formatToParts(at);
    const part = (type: string) => parts.find((p) => p.type === type)?.value ?? "00";
    return Date.parse(
      `${part("year")}-${part("month")}-${part("day")}T${part("hour")}:${part("minute")}:00Z`,
    );
  };
  // Twice, for the first guess may lie beyond a change of the clocks.
  let at = wanted;
  for (let i = 0; i < 2; i++) at += wanted - shows(at);
  return new Date(at).toISOString();
}
