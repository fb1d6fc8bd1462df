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

type Bulk = components["schemas"]["Bulk"];
type BulkPlan = components["schemas"]["BulkPlan"];
type BulkDone = components["schemas"]["BulkDone"];

/** What an action on many entries would do: as many plans as the service takes parts. */
export interface WholePlan {
  parts: { asked: Bulk; plan: BulkPlan }[];
  items: BulkPlan["items"];
  left: BulkPlan["left"];
}

const partOfBulk = 500; // entries

/** Shows what an action on many entries would do. */
export async function planBulk(asked: Bulk): Promise<WholePlan> {
  const whole: WholePlan = { parts: [], items: [], left: [] };
  for (let at = 0; at < Math.max(asked.slugs.length, 1); at += partOfBulk) {
    const part = { ...asked, slugs: asked.slugs.slice(at, at + partOfBulk) };
    const plan = await answered(api.POST("/bulk/plan", { body: part }));
    whole.parts.push({ asked: part, plan });
    whole.items.push(...plan.items);
    whole.left.push(...plan.left);
  }
  return whole;
}

/** Each part is done as it was shown or not at all. What was done before one failed is told. */
async function applyBulk({ parts }: WholePlan): Promise<BulkDone> {
  const whole: BulkDone = { done: [], left: [] };
  for (const { asked, plan } of parts) {
    try {
      const out = await answered(api.POST("/bulk", { body: { ...asked, digest: plan.digest } }));
      whole.done.push(...out.done);
      whole.left.push(...out.left);
      whole.undo = out.undo;
    } catch (e) {
      if (whole.done.length === 0) throw e;
      break;
    }
  }
  return whole;
}

export function useApplyBulk() {
  return useChange(applyBulk);
}

/** Takes back what was done to many entries. */
export function useUndoBulk() {
  return useChange(async (asked: Bulk) => applyBulk(await planBulk(asked)));
}
