import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { answered, api } from "./api";
import type { components } from "./schema";
import { useChange } from "./change";

/** An entry with the text of it that was shown. */
export type SeenEntry = components["schemas"]["SeenEntry"];

/** What waits for me, a page at a time. */
export function useWaiting() {
  return useInfiniteQuery({
    queryKey: ["desk", "all"],
    queryFn: ({ pageParam }) =>
      answered(api.GET("/desk", { params: { query: { cursor: pageParam || undefined } } })),
    initialPageParam: "",
    getNextPageParam: (last) => last.next,
  });
}

/** Publishes entries as one, now or at a time. */
export function usePublishTogether() {
  return useChange((body: { entries: SeenEntry[]; at?: string }) =>
    answered(api.POST("/publications", { body })),
  );
}

export function usePublications(enabled: boolean) {
  return useQuery({
    queryKey: ["publications"],
    queryFn: () => answered(api.GET("/publications")),
    enabled,
  });
}

export function useCancelPublication() {
  return useChange((id: string) => answered(api.DELETE("/publications/{id}", { params: { path: { id } } })));
}

export function useRenew(slug: string) {
  return useChange((note: string) =>
    answered(api.POST("/entries/{slug}/renew", { params: { path: { slug } }, body: { note } })),
  );
}

export function useUnpublish(slug: string) {
  return useChange((because: string) =>
    answered(api.POST("/entries/{slug}/unpublish", { params: { path: { slug } }, body: { because } })),
  );
}

/** Begins the next version with the text of an old one. */
export function useRestoreVersion(slug: string) {
  return useChange((number: number) =>
    answered(api.POST("/entries/{slug}/versions/{number}/restore", { params: { path: { slug, number } } })),
  );
}

/** Gives an entry another slug. */
export function useRename(slug: string) {
  return useChange((to: string) =>
    answered(api.POST("/entries/{slug}/rename", { params: { path: { slug } }, body: { slug: to } })),
  );
}
