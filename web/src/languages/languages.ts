import { i18n, type Messages } from "@lingui/core";
import { forget, keep, kept } from "../data/browser";

/** The languages of the console, each under its own name, and the locale that writes its dates and numbers. */
export const languages = {
  en: { name: "English", locale: "en-GB" },
  de: { name: "Deutsch", locale: "de-DE" },
  fr: { name: "Français", locale: "fr-FR" },
} as const;

export type Language = keyof typeof languages;

const catalogues: Record<Language, () => Promise<{ messages: Messages }>> = {
  en: () => import("./en.po"),
  de: () => import("./de.po"),
  fr: () => import("./fr.po"),
};

/** A language that nobody speaks, written from right to left: what is not in the catalogue shows in it. */
const testLanguage = "ar-XB";

const isLanguage = (name: string): name is Language => name in languages;

/** What was chosen in this browser or by the one signed in, or else the first that the browser asks for and we have. */
function wanted(): Language | typeof testLanguage {
  const chosen = kept<string>("language") ?? "";
  if (chosen === testLanguage || isLanguage(chosen)) return chosen;
  return navigator.languages.map((l) => l.slice(0, 2)).find(isLanguage) ?? "en";
}

/** Begins with the language that is wanted. Texts are looked up from here on, so it comes before all else. */
export async function speak() {
  const language = wanted();
  if (language === testLanguage) {
    const [{ madeUp }, ...all] = await Promise.all([
      import("./madeup"),
      ...Object.values(catalogues).map((read) => read()),
    ]);
    i18n.load(language, madeUp(all.map((c) => c.messages)));
  } else {
    i18n.load(language, (await catalogues[language]()).messages);
  }
  i18n.activate(language);
  document.documentElement.lang = language;
  document.documentElement.dir = direction();
}

export const direction = () => (i18n.locale === testLanguage ? "rtl" : "ltr");

/** The language of this page. */
export const spoken = (): string => (i18n.locale === testLanguage ? "en" : i18n.locale);

/** The locale by which dates and numbers are written. */
export const locale = (): string => languages[spoken() as Language].locale;

/** What the service is asked to answer in, as the header Accept-Language has it. */
export function accepted(): string {
  const others = navigator.languages.filter((l) => l !== spoken());
  return [spoken(), ...others.map((l, i) => `${l};q=${Math.max(0.1, 0.9 - i / 10).toFixed(1)}`)].join(", ");
}

/**
 * Takes the language of the one signed in, or that of the browser where they chose none, and reads the
 * page anew where it is another one.
 */
export function speakLanguage(language: string | undefined) {
  if (i18n.locale === testLanguage) return;
  if (language && isLanguage(language)) keep("language", language);
  else forget("language");
  if (wanted() !== i18n.locale && kept("language") === (language ?? null)) window.location.reload();
}
