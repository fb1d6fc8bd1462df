import { createContext, useContext, useEffect, useState, type ReactNode } from "react";

/** Something that can be done with what the page is about, by its name. */
export interface AtHand {
  name: string;
  run: () => void;
}

const AtHandContext = createContext<[AtHand[], (all: AtHand[]) => void]>([[], () => undefined]);

/** Around the pages and Ctrl K: the one says what can be done, the other offers it. */
export function AtHandProvider({ children }: { children: ReactNode }) {
  return <AtHandContext value={useState<AtHand[]>([])}>{children}</AtHandContext>;
}

/** What the page that is shown offers. */
export function useAtHand(): AtHand[] {
  return useContext(AtHandContext)[0];
}

/** Offers what can be done on this page while it is shown. The list is to stay the same while nothing changes. */
export function useOffer(all: AtHand[]) {
  const set = useContext(AtHandContext)[1];
  useEffect(() => {
    set(all);
    return () => set([]);
  }, [all, set]);
}
