import { keepPreviousData, useInfiniteQuery, useMutation, useQuery } from "@tanstack/react-query";
import { answered, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Comment = Schemas["Comment"];
export type NewComment = Schemas["NewComment"];
export type Record = Schemas["Record"];
export type ElsewhereVersion = Schemas["ElsewhereVersion"];
export type Helped = Schemas["Helped"];

export function useComments(slug: string, version?: number, enabled = true) {
  return useQuery({
    queryKey: ["comments", slug, version],
    queryFn: () =>
      answered(api.GET("/entries/{slug}/comments", { params: { path: { slug }, query: { version } } })),
    enabled,
  });
}

export function useAddComment(slug: string) {
  return useChange((body: NewComment) =>
    answered(api.POST("/entries/{slug}/comments", { params: { path: { slug } }, body })),
  );
}

export function useSettleComment(slug: string) {
  return useChange(({ id, settled }: { id: number; settled: boolean }) =>
    settled
      ? answered(api.POST("/entries/{slug}/comments/{id}/settle", { params: { path: { slug, id } } }))
      : answered(api.POST("/entries/{slug}/comments/{id}/reopen", { params: { path: { slug, id } } })),
  );
}

/** A version line by line, each with the version that it comes from. */
export function useAnnotated(slug: string, number: number) {
  return useQuery({
    queryKey: ["lines", slug, number],
    queryFn: () =>
      answered(api.GET("/entries/{slug}/versions/{number}/annotate", { params: { path: { slug, number } } })),
  });
}

/** What narrows the record of changes. */
export interface AuditNarrowing {
  person?: string;
  entry?: string;
  action?: string;
  q?: string;
  from?: string;
  until?: string;
}

export function useAudit(narrowing: AuditNarrowing) {
  return useInfiniteQuery({
    queryKey: ["audit", narrowing],
    queryFn: ({ pageParam }) =>
      answered(api.GET("/audit", { params: { query: { ...narrowing, cursor: pageParam || undefined } } })),
    initialPageParam: "",
    getNextPageParam: (last) => last.next,
    placeholderData: keepPreviousData,
  });
}

export function useVerifyAudit() {
  return useMutation({
    mutationFn: (head: string) =>
      answered(api.GET("/audit/verify", { params: { query: { head: head.trim() || undefined } } })),
  });
}
