import { useEffect, useState } from "react";
import { keep, kept } from "../data/browser";

export type Theme = "light" | "dark";

export function startingTheme(): Theme {
  const chosen = kept<Theme>("theme");
  if (chosen === "light" || chosen === "dark") return chosen;
  return window.matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

export function useTheme(): [Theme, (t: Theme) => void] {
  const [theme, set] = useState<Theme>(startingTheme);
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
  return [
    theme,
    (t) => {
      keep("theme", t);
      set(t);
    },
  ];
}
