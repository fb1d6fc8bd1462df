import { keepPreviousData, useMutation, useQueries, useQuery } from "@tanstack/react-query";
import { answered, answeredWith, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type QuestionSet = Schemas["QuestionSet"];
export type Question = Schemas["Question"];
export type QuestionGroup = Schemas["QuestionGroup"];
export type Answers = Schemas["Answers"];

/** The newest version of every question set. */
export function useSets() {
  return useQuery({ queryKey: ["sets"], queryFn: () => answered(api.GET("/sets")), staleTime: 30_000 });
}

/** A question set by its name, or a version of it as audience@2, with the ETag that its successor must name. */
export function useSet(ref: string, enabled = true) {
  return useQuery({
    queryKey: ["set", ref],
    queryFn: () => answeredWith(api.GET("/sets/{ref}", { params: { path: { ref } } })),
    enabled: enabled && ref !== "",
    staleTime: 30_000,
  });
}

export function useSetVersions(name: string) {
  return useQuery({
    queryKey: ["set-versions", name],
    queryFn: () => answered(api.GET("/sets/{ref}/versions", { params: { path: { ref: name } } })),
  });
}

export function useAddSet() {
  return useChange((body: Schemas["NewQuestionSet"]) => answered(api.POST("/sets", { body })));
}

export function useSaveSet(name: string) {
  return useChange(({ etag, set }: { etag: string; set: Schemas["NewQuestionSet"] }) =>
    answeredWith(
      api.PUT("/sets/{ref}", { params: { path: { ref: name }, header: { "If-Match": etag } }, body: set }),
    ),
  );
}

/** The sheets on the shelf that answer a set, by words. */
export function sheetsOf(name: string, q = "") {
  return answered(api.GET("/sets/{ref}/sheets", { params: { path: { ref: name }, query: { q } } }));
}

const sheetsQuery = (name: string, q: string) => ({
  queryKey: ["sheets-of", name, q],
  queryFn: () => sheetsOf(name, q),
  staleTime: 30_000,
});

export function useSheetsOf(name: string, q = "") {
  return useQuery({ ...sheetsQuery(name, q), placeholderData: keepPreviousData });
}

/** The slugs of the sheets that answer any of some sets. */
export function useAnswering(names: string[]): string[] {
  return useQueries({ queries: names.map((name) => sheetsQuery(name, "")) }).flatMap(
    (q) => q.data?.items.map((s) => s.slug) ?? [],
  );
}

/** Reads answers from a text or a file; nothing is saved. */
export function useReadAnswers(ref: string) {
  return useMutation({
    mutationFn: (text: string | File) =>
      answered(
        api.POST("/sets/{ref}/read", {
          params: { path: { ref } },
          body: text as unknown as string,
          bodySerializer: (file) => file as unknown as Blob,
          headers: { "Content-Type": "application/octet-stream" },
        }),
      ),
  });
}

/** A question as it stands before its answer. */
export function questionOf(q: Question): string {
  if (q.ask) return q.ask;
  return labelOf(q.name);
}

/** A question's name as words. */
export function labelOf(name: string): string {
  const words = name.replaceAll("_", " ");
  return words.charAt(0).toUpperCase() + words.slice(1);
}
