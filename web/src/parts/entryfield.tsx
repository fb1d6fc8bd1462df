import { useQuery, keepPreviousData } from "@tanstack/react-query";
import { useState } from "react";
import type { Kind } from "../data/api";
import { searchShelf, useSession } from "../data/hooks";
import { lastFirst, lastUsed, rememberLast } from "../data/laststack";
import { useSettled } from "../data/settled";
import { TypedField, type Option } from "./oneof";

/** A field in which one types which entry of a kind is meant: what one used last stands first. */
export function EntryField({
  id,
  kind,
  value,
  title,
  set,
  first = [],
  label,
}: {
  id?: string;
  kind: Kind;
  value: string;
  title?: string; // of the value, where it is known
  set: (slug: string) => void;
  first?: Option[]; // such as none of them
  label?: string;
}) {
  const person = useSession().data?.name ?? "";
  const [words, setWords] = useState("");
  const asked = useSettled(words);
  const found = useQuery({
    queryKey: ["shelf", "of-kind", kind, asked],
    queryFn: ({ signal }) => searchShelf(asked, kind, signal),
    placeholderData: keepPreviousData,
    staleTime: 30_000,
  });
  // What was found for other words is not offered for these.
  const stale = asked !== words || found.isPlaceholderData;
  const options = (found.data?.items ?? [])
    .map((i) => ({ name: i.slug, title: i.title }))
    .filter((o) => !stale || `${o.title} ${o.name}`.toLowerCase().includes(words.toLowerCase()));
  const shown = title ?? [...first, ...options].find((o) => o.name === value)?.title ?? value;
  const known = lastFirst(options, lastUsed(person, kind));
  const all = words ? options : [...first, ...known.filter((o) => !first.some((f) => f.name === o.name))];
  return (
    <TypedField
      id={id}
      label={label}
      shown={shown}
      of={all}
      typed={setWords}
      choose={(o) => {
        if (o.name && o.name !== "none") rememberLast(person, kind, o);
        set(o.name);
      }}
    />
  );
}
