import {
  keepPreviousData,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { answered, api } from "./api";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Colleague = Schemas["Colleague"];
export type PersonChange = Schemas["PersonChange"];
export type NewColleague = Schemas["NewColleague"];
export type Comment = Schemas["Comment"];
export type NewComment = Schemas["NewComment"];
export type NewsItem = Schemas["NewsItem"];
export type Follow = Schemas["Follow"];
export type Hook = Schemas["Hook"];
export type NewHook = Schemas["NewHook"];
export type Record = Schemas["Record"];
export type Reviewing = NonNullable<Schemas["Policy"]["review"]>;
export type ReviewRule = NonNullable<Reviewing["rules"]>[number];

/** A change after which everything but an open draft is read anew. */
function useChange<In, Out>(change: (input: In) => Promise<Out>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: change,
    // Not waited for: the page that made the change has its say first.
    onSettled: () => void cache.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "draft" }),
  });
}

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
  return useChange((body: { slugs: string[]; at?: string }) => answered(api.POST("/publications", { body })));
}

export function usePublications(enabled: boolean) {
  return useQuery({
    queryKey: ["publications"],
    queryFn: () => answered(api.GET("/publications")),
    enabled,
  });
}

export function useDropPublication() {
  return useChange((id: string) => answered(api.DELETE("/publications/{id}", { params: { path: { id } } })));
}

export function useStillGood(slug: string) {
  return useChange((note: string) =>
    answered(api.POST("/entries/{slug}/still-good", { params: { path: { slug } }, body: { note } })),
  );
}

export function useTakeBack(slug: string) {
  return useChange((because: string) =>
    answered(api.POST("/entries/{slug}/take-back", { params: { path: { slug } }, body: { because } })),
  );
}

/** Begins the next version with the text of an old one. */
export function useBringBack(slug: string) {
  return useChange((number: number) =>
    answered(api.POST("/entries/{slug}/versions/{number}/restore", { params: { path: { slug, number } } })),
  );
}

export function useHandOver(slug: string) {
  return useChange((to: string) =>
    answered(api.POST("/entries/{slug}/hand-over", { params: { path: { slug } }, body: { to } })),
  );
}

/** Says who stands in for an entry's owner, and where it belongs. */
export function useSetKeepers(slug: string) {
  return useChange((body: Schemas["Keepers"]) =>
    answered(api.PUT("/entries/{slug}/keepers", { params: { path: { slug } }, body })),
  );
}

export function useHandOverAll() {
  return useChange(({ from, to }: { from: string; to: string }) =>
    answered(api.POST("/people/{name}/hand-over", { params: { path: { name: from } }, body: { to } })),
  );
}

export function useAnswerOffer(slug: string) {
  return useChange((accept: boolean) =>
    accept
      ? answered(api.POST("/entries/{slug}/accept", { params: { path: { slug } } }))
      : answered(api.POST("/entries/{slug}/decline", { params: { path: { slug } } })),
  );
}

export function usePeople(enabled = true) {
  return useQuery({
    queryKey: ["people"],
    queryFn: () => answered(api.GET("/people")),
    enabled,
    staleTime: 30_000,
  });
}

export function useAddPerson() {
  return useChange((body: NewColleague) => answered(api.POST("/people", { body })));
}

export function useChangePerson() {
  return useChange(({ name, body }: { name: string; body: PersonChange }) =>
    answered(api.PATCH("/people/{name}", { params: { path: { name } }, body })),
  );
}

export function useOwnership() {
  return useQuery({ queryKey: ["ownership"], queryFn: () => answered(api.GET("/ownership")) });
}

/** The entries that a person owns or stands in for. */
export function useMine(enabled: boolean) {
  return useQuery({
    queryKey: ["entries", "mine"],
    queryFn: () => answered(api.GET("/entries", { params: { query: { mine: true, limit: 200 } } })),
    enabled,
  });
}

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
export function useLines(slug: string, number: number) {
  return useQuery({
    queryKey: ["lines", slug, number],
    queryFn: () =>
      answered(api.GET("/entries/{slug}/versions/{number}/lines", { params: { path: { slug, number } } })),
  });
}

export function useFollows() {
  return useQuery({ queryKey: ["follows"], queryFn: () => answered(api.GET("/follows")) });
}

export function useFollow() {
  return useChange(({ on, ...path }: Follow & { on: boolean }) => {
    const params = { path: path as { what: "entry" | "person" | "department"; name: string } };
    return on
      ? answered(api.PUT("/follows/{what}/{name}", { params }))
      : answered(api.DELETE("/follows/{what}/{name}", { params }));
  });
}

export function useNews() {
  return useInfiniteQuery({
    queryKey: ["news"],
    queryFn: ({ pageParam }) =>
      answered(api.GET("/news", { params: { query: { cursor: pageParam || undefined } } })),
    initialPageParam: "",
    getNextPageParam: (last) => last.next,
  });
}

export function useReadNews() {
  return useChange((number: number) => answered(api.POST("/news/read", { body: { number } })));
}

/** Gives the feed a new private address. */
export function useNewFeed() {
  return useMutation({ mutationFn: () => answered(api.POST("/feed", {})) });
}

export function useChannels() {
  return useQuery({
    queryKey: ["channels"],
    queryFn: () => answered(api.GET("/channels")),
    refetchInterval: 5_000,
  });
}

export function useAddChannel() {
  return useChange((body: NewHook) => answered(api.POST("/channels", { body })));
}

export function useSetChannel(id: number) {
  return useChange((body: NewHook) =>
    answered(api.PUT("/channels/{id}", { params: { path: { id } }, body })),
  );
}

export function useDropChannel() {
  return useChange((id: number) => answered(api.DELETE("/channels/{id}", { params: { path: { id } } })));
}

export function useDeliveries(id: number) {
  return useQuery({
    queryKey: ["deliveries", id],
    queryFn: () => answered(api.GET("/channels/{id}/deliveries", { params: { path: { id } } })),
    refetchInterval: 5_000,
  });
}

export function useSendAgain(id: number) {
  return useChange((delivery: number) =>
    answered(api.POST("/channels/{id}/deliveries/{delivery}/send", { params: { path: { id, delivery } } })),
  );
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
  return useMutation({ mutationFn: () => answered(api.GET("/audit/verify")) });
}
