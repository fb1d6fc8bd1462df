import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useChange } from "./change";
import { answered, api } from "./api";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Place = Schemas["Place"];
export type Similar = Schemas["Similar"];
export type Plan = Schemas["Plan"];
export type PlanItem = Schemas["PlanItem"];
export type Choice = NonNullable<Schemas["ApplyRequest"]["choices"]>[number];
export type Reading = Schemas["Reading"];

/** What can be said of a text as it is pasted. */
export function useRead(body: string) {
  return useQuery({
    queryKey: ["read", body],
    queryFn: ({ signal }) => answered(api.POST("/read", { body: { body }, signal })),
    enabled: body.trim().length > 3,
    placeholderData: keepPreviousData,
    staleTime: 30_000,
    gcTime: 10_000,
  });
}

/** Makes blanks of places of a text. */
export function makeBlanks(body: string, places: Place[]) {
  return answered(api.POST("/blanks", { body: { body, places } }));
}

/** What a new entry can begin with. */
export function useStarters() {
  return useQuery({
    queryKey: ["starters"],
    queryFn: () => answered(api.GET("/starters")),
    staleTime: 60_000,
  });
}

export type Helps = "" | "draft" | "refinement" | "editing";

/** Says what a prompt helps with. */
export function useSetHelper(slug: string) {
  return useChange((helps: Helps) =>
    answered(api.PUT("/entries/{slug}/helper", { params: { path: { slug } }, body: { helps } })),
  );
}

/** The entries that say nearly what a text says. */
export function useSimilar(slug: string, body: string, enabled = true) {
  return useQuery({
    queryKey: ["alike", slug, body],
    queryFn: ({ signal }) => answered(api.POST("/similar", { body: { slug, body }, signal })),
    enabled,
    placeholderData: keepPreviousData,
    staleTime: 30_000,
    gcTime: 10_000,
  });
}

/** Reads a file, and gives the plan of what would become of it. */
export function createImport(file: File): Promise<Plan> {
  return answered(
    api.POST("/imports", {
      params: { query: { name: file.name } },
      body: file as unknown as string,
      bodySerializer: (f: unknown) => f as Blob,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );
}

export function usePlan(id: string) {
  return useQuery({
    queryKey: ["plan", id],
    queryFn: () => answered(api.GET("/imports/{id}", { params: { path: { id } } })),
    staleTime: Infinity,
  });
}

/** Reads what was brought in another way. */
export function useReadAgain(id: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { reading: Reading; keep_as?: string }) =>
      answered(api.PUT("/imports/{id}", { params: { path: { id } }, body })),
    onSuccess: (plan) => cache.setQueryData(["plan", id], plan),
  });
}

export function useApplyImport(id: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { digest: string; choices: Choice[] }) =>
      answered(api.POST("/imports/{id}/apply", { params: { path: { id } }, body })),
    onSuccess: () => void cache.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "plan" }),
  });
}

export function deleteImport(id: string) {
  return answered(api.DELETE("/imports/{id}", { params: { path: { id } } }));
}

/** How far an import is, asked while it runs. */
export function useProgress(id: string, running: boolean) {
  return useQuery({
    queryKey: ["progress", id],
    queryFn: () => answered(api.GET("/imports/{id}/progress", { params: { path: { id } } })),
    enabled: running,
    refetchInterval: running ? 400 : false,
    gcTime: 0,
  });
}

/** A planned entry as it comes in, and as it is here. */
export function useDifference(id: string, number: number | null) {
  return useQuery({
    queryKey: ["difference", id, number],
    queryFn: () =>
      answered(api.GET("/imports/{id}/items/{number}", { params: { path: { id, number: number ?? 0 } } })),
    enabled: number !== null,
  });
}
