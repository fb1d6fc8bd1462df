import { formatter } from "@lingui/format-po";

export default {
  sourceLocale: "en",
  locales: ["en", "de", "fr"],
  catalogs: [{ path: "src/languages/{locale}", include: ["src"] }],
  format: formatter({ origins: false, printPlaceholdersInComments: false }),
  orderBy: "message",
};
