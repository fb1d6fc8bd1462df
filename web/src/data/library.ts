import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { components } from "./schema";
import { answered, answeredWith, api } from "./api";
import { useChange } from "./change";

type Schemas = components["schemas"];
export type Library = Schemas["Library"];
export type Keep = Schemas["Keep"];
export type Labels = Schemas["Labels"];
export type NewLabel = Schemas["NewLabel"];
export type PasswordLink = Schemas["PasswordLink"];

/** What the library is called and its zone, with the ETag that the next settings must name. */
export function useLibrary() {
  return useQuery({ queryKey: ["library"], queryFn: () => answeredWith(api.GET("/library")), gcTime: 0 });
}

export function useSetLibrary() {
  return useChange(
    ({ etag, library }: { etag: string; library: Library }) =>
      answeredWith(api.PUT("/library", { params: { header: { "If-Match": etag } }, body: library })),
    "library",
  );
}

/** The lists of words that mean the same, with the ETag that the next ones must name. */
export function useSynonyms() {
  return useQuery({ queryKey: ["synonyms"], queryFn: () => answeredWith(api.GET("/synonyms")), gcTime: 0 });
}

/** What was searched for and not found, the most often first. */
export function useMissedSearches() {
  return useQuery({ queryKey: ["missed"], queryFn: () => answered(api.GET("/missed-searches")), gcTime: 0 });
}

/** Counts what was searched for and not found. */
/** Counts a search in vain, even as one leaves the page. */
export function countMissed(searched: Schemas["Searched"]) {
  void answered(api.POST("/missed-searches", { body: searched, keepalive: true })).catch(() => undefined);
}

export function useSetSynonyms() {
  return useChange(
    ({ etag, lists }: { etag: string; lists: string[][] }) =>
      answeredWith(api.PUT("/synonyms", { params: { header: { "If-Match": etag } }, body: { lists } })),
    "synonyms",
  );
}

export function useAddLabel() {
  return useChange((body: NewLabel) => answered(api.POST("/labels", { body })));
}

export function useSetFacet(facet: string) {
  return useChange((body: Schemas["FacetChange"]) =>
    answered(api.PUT("/labels/{facet}", { params: { path: { facet } }, body })),
  );
}

/** Changes a term's title, what it is under, and whether anybody still chooses it. */
export function useSetTerm() {
  return useChange(
    ({ facet, term, change }: { facet: string; term: string; change: Schemas["TermChange"] }) =>
      answered(api.PUT("/labels/{facet}/{term}", { params: { path: { facet, term } }, body: change })),
  );
}

/** Makes a term a part of another; what it gives undoes it within an hour. */
export function useMergeTerm() {
  return useChange(({ facet, term, into }: { facet: string; term: string; into: string }) =>
    answered(api.POST("/labels/{facet}/{term}/merge", { params: { path: { facet, term } }, body: { into } })),
  );
}

/** What labelling many entries would change. */
export const planLabels = (body: Schemas["LabelMany"]) => answered(api.POST("/labels/plan", { body }));

export function useApplyLabels() {
  return useChange((body: Schemas["LabelMany"]) => answered(api.POST("/labels/apply", { body })));
}

/** Takes back a merge, or a change of the labels of many entries. */
export function useUndoLabels() {
  return useChange((id: string) =>
    answered(api.POST("/labels/changes/{id}/undo", { params: { path: { id } } })),
  );
}

const csv = (file: File) => ({
  body: file as unknown as string,
  bodySerializer: (f: unknown) => f as Blob,
  headers: { "Content-Type": "text/csv" },
});

/** Adds the facets and terms of a table with the columns facet, term and title. */
export function useImportLabels() {
  return useChange((table: File) => answered(api.POST("/labels/import", csv(table))));
}

/** Adds the people of a table; each gets a link, which is shown this once. */
export function useImportPeople() {
  return useChange((table: File) => answered(api.POST("/people/import", csv(table))));
}

export function useNewPasswordLink() {
  return useChange((name: string) =>
    answered(api.POST("/people/{name}/password-link", { params: { path: { name } } })),
  );
}

/** Gives an entry these labels: it makes no version, and what is under review stays so. */
export function useSetEntryLabels(slug: string) {
  return useChange((labels: Labels) =>
    answered(api.PUT("/entries/{slug}/labels", { params: { path: { slug } }, body: { labels } })),
  );
}

/** Makes the first curator, by the code that stands in the service's terminal. */
export function useSetup() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["Setup"]) => answered(api.POST("/setup", { body })),
    onSuccess: (session) => {
      cache.clear();
      cache.setQueryData(["session"], session);
    },
  });
}

export function useSetPassword() {
  return useMutation({
    mutationFn: (body: Schemas["NewPassword"]) => answered(api.POST("/password", { body })),
  });
}

/** Labels that entries have which read like one. */
export function useProposedLabels(slug: string) {
  return useQuery({
    queryKey: ["proposed", slug],
    queryFn: () => answered(api.GET("/entries/{slug}/labels/proposed", { params: { path: { slug } } })),
    staleTime: 30_000,
  });
}
