import { useEffect, useState } from "react";

/** What is typed, once it has stood for a moment: what asks the service follows this, not each key. */
export function useSettled<T>(typed: T, ms = 250): T {
  const [settled, settle] = useState(typed);
  // Two values that say the same are one: a draft is a new object at each rendering.
  const text = JSON.stringify(typed);
  useEffect(() => {
    const wait = setTimeout(() => settle(JSON.parse(text) as T), ms);
    return () => clearTimeout(wait);
  }, [text, ms]);
  return settled;
}
