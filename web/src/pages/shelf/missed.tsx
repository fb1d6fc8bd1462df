import { useEffect } from "react";
import { countMissed } from "../../data/library";

const restsFor = 2000; // milliseconds

/** What rests in the field and is not found is counted, for the curators. */
export function Missed({ words }: { words: string }) {
  useEffect(() => {
    const rests = setTimeout(() => countMissed({ words }), restsFor);
    return () => clearTimeout(rests);
  }, [words]);
  return null;
}

/** Searches of which something was opened, or that were counted, since the page was loaded. */
const settled = new Set<string>();

/** So is what rests there and is left, or asked for otherwise, without a result being opened. */
export function Unopened({ words }: { words: string }) {
  useEffect(() => {
    let rested = false;
    const rests = setTimeout(() => (rested = true), restsFor);
    const leave = () => {
      if (rested && !settled.has(words)) countMissed({ words, unopened: true });
      settled.add(words);
    };
    window.addEventListener("pagehide", leave);
    return () => {
      clearTimeout(rests);
      window.removeEventListener("pagehide", leave);
      const now = new URLSearchParams(location.search).get("q") ?? "";
      const goesOn = location.pathname === "/" && (now.includes(words) || words.includes(now)) && now !== "";
      if (location.pathname.startsWith("/entries/")) settled.add(words);
      else if (rested && !goesOn) leave();
    };
  }, [words]);
  return null;
}

/** Something of a search was opened, wherever that leads. */
export const opened = (words: string) => void settled.add(words);
