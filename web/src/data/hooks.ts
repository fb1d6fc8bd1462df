import { speakLanguage } from "../languages/languages";
import {
  keepPreviousData,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { answered, answeredWith, api, Refused } from "./api";
import { useChange } from "./change";
import type { Entry, FillRequest, Heading, Kind, List, NewEntry, Policy, Session, Values } from "./api";

/** How a list is narrowed: words, and terms by facet. */
export interface Narrowing {
  q?: string;
  [facet: string]: string | string[] | undefined;
}

/** What a page may know before anyone has signed in, and whether someone has. */
export function readWelcome() {
  return answered(api.GET("/welcome"));
}

export function useWelcome() {
  return useQuery({ queryKey: ["welcome"], queryFn: readWelcome, staleTime: Infinity });
}

/** Who is signed in; null where nobody is. */
export async function readSession(): Promise<Session | null> {
  try {
    const session = await answered(api.GET("/session"));
    speakLanguage(session.language);
    return session;
  } catch (e) {
    if (e instanceof Refused && e.status === 401) return null;
    throw e;
  }
}

export function useSession() {
  return useQuery({ queryKey: ["session"], queryFn: readSession, staleTime: 60_000 });
}

export function useSignIn() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { name: string; password: string; code?: string }) =>
      answered(api.POST("/session", { body })),
    onSuccess: (session) => {
      cache.clear();
      cache.setQueryData(["session"], session);
    },
  });
}

export function useSignOut() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => answered(api.DELETE("/session")),
    onSuccess: () => {
      cache.clear();
      cache.setQueryData(["session"], null);
    },
  });
}

/** Changes one's own password: every other session and token ends. */
export function useChangePassword() {
  return useMutation({
    mutationFn: (body: { old: string; new: string }) => answered(api.PUT("/session/password", { body })),
  });
}

export function useSignOutEverywhere() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => answered(api.DELETE("/sessions")),
    onSuccess: () => {
      cache.clear();
      cache.setQueryData(["session"], null);
    },
  });
}

/** A page of the shelf, and the pages after it as they are asked for. */
export function useShelf(narrowing: Narrowing) {
  return useInfiniteQuery({
    queryKey: ["shelf", narrowing],
    queryFn: ({ pageParam }) =>
      answered(
        api.GET("/shelf", {
          params: { query: { ...(narrowing as object), cursor: pageParam || undefined } },
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (last) => last.next,
    placeholderData: keepPreviousData,
    staleTime: 10_000,
  });
}

/** The slugs of all that a search finds whole. */
export async function readAllSlugs(narrowing: Narrowing): Promise<string[]> {
  const slugs: string[] = [];
  for (let cursor: string | undefined = ""; cursor !== undefined;) {
    const page: List = await answered(
      api.GET("/shelf", {
        params: { query: { ...(narrowing as object), limit: 200, cursor: cursor || undefined } },
      }),
    );
    slugs.push(...page.items.filter((i) => !i.missing).map((i) => i.slug));
    cursor = page.next;
  }
  return slugs;
}

/** Some entries of the shelf, for a group on the first page. */
export function useSome(query: { sort?: "newest"; department?: string[]; limit: number }, enabled = true) {
  return useQuery({
    queryKey: ["shelf", "some", query],
    queryFn: () => answered(api.GET("/shelf", { params: { query } })),
    enabled,
    staleTime: 10_000,
  });
}

export function useLabels() {
  return useQuery({
    queryKey: ["labels"],
    queryFn: () => answered(api.GET("/labels")),
    staleTime: 60_000,
  });
}

/** Entries of the shelf by words, their beginnings, or a slug; of one kind, where it says so. */
export function searchShelf(q: string, kind?: Kind, signal?: AbortSignal) {
  const query = { q: q.trim() || undefined, kind: kind && [kind], limit: 20 };
  return answered(api.GET("/shelf", { params: { query }, signal }));
}

export function useSearch(q: string) {
  return useQuery({
    queryKey: ["shelf", "search", q],
    queryFn: ({ signal }) => searchShelf(q, undefined, signal),
    placeholderData: keepPreviousData,
    staleTime: 10_000,
  });
}

/** A text taken apart at its headings; with the title of a part, that part added. */
export function takeApart(body: string, kind: Kind, add?: string) {
  return answered(api.POST("/outline", { body: { body, kind, add } }));
}

/** The headings that a kind expects. */
export function useOutline(kind: Kind): Heading[] | undefined {
  return useQuery({
    queryKey: ["kinds"],
    queryFn: () => answered(api.GET("/kinds")),
    staleTime: Infinity,
  }).data?.find((k) => k.kind === kind)?.outline;
}

export function useRules() {
  return useQuery({
    queryKey: ["rules"],
    queryFn: () => answered(api.GET("/rules")),
    staleTime: Infinity,
  });
}

/** The policy in force, with the ETag that its successor must name. */
export function usePolicy() {
  return useQuery({
    queryKey: ["policy"],
    queryFn: () => answeredWith(api.GET("/policy")),
  });
}

export function useSetPolicy() {
  return useChange(
    ({ etag, policy }: { etag: string; policy: Policy }) =>
      answeredWith(api.PUT("/policy", { params: { header: { "If-Match": etag } }, body: policy })),
    "policy",
  );
}

export function useShelfEntry(ref: string, base = false, enabled = true) {
  return useQuery({
    enabled,
    queryKey: ["shelf-entry", ref, base],
    queryFn: () =>
      answered(api.GET("/shelf/{ref}", { params: { path: { ref }, query: base ? { base } : {} } })),
  });
}

/** The text of a stack as far as the values go; it follows them as they are typed. */
export function useSketch(ref: string, request: FillRequest) {
  return useQuery({
    queryKey: ["sketch", ref, request],
    queryFn: ({ signal }) =>
      answered(
        api.POST("/shelf/{ref}/fill", {
          params: { path: { ref } },
          body: { ...request, sketch: true },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 10_000,
  });
}

/** Fills an entry in for good: values that are missing or do not hold are refused. */
export function fillEntry(ref: string, body: FillRequest) {
  return answered(api.POST("/shelf/{ref}/fill", { params: { path: { ref } }, body }));
}

/** What the checks find in a text that need not be saved. */
export function useCheck(draft: NewEntry) {
  return useQuery({
    queryKey: ["check", draft],
    queryFn: async ({ signal }) => ({
      ...(await answered(api.POST("/check", { body: draft, signal }))),
      of: draft.body, // the text in which the places are
    }),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 10_000,
  });
}

export function useEntryCheck(slug: string) {
  return useQuery({
    queryKey: ["entry-check", slug],
    queryFn: () => answered(api.GET("/entries/{slug}/check", { params: { path: { slug } } })),
  });
}

export function useUses(slug: string) {
  return useQuery({
    queryKey: ["uses", slug],
    queryFn: () => answered(api.GET("/entries/{slug}/uses", { params: { path: { slug } } })),
  });
}

/** What publishing the open version does to one of its users. */
export function useEffectOn(slug: string, user: string) {
  return useQuery({
    queryKey: ["effect", slug, user],
    queryFn: () => answered(api.GET("/entries/{slug}/effects/{user}", { params: { path: { slug, user } } })),
    enabled: user !== "",
  });
}

/** The published entries of a kind, to choose from. */
export function useKind(kind: string) {
  return useQuery({
    queryKey: ["shelf", "kind", kind],
    queryFn: () => answered(api.GET("/shelf", { params: { query: { kind: [kind], limit: 200 } } })),
    staleTime: 60_000,
  });
}

export function usePreview(draft: NewEntry | undefined, values: Values) {
  const body = {
    slug: draft?.slug,
    body: draft?.body ?? "",
    plain: draft?.plain,
    language: draft?.language,
    set: draft?.set,
    answers: draft?.answers,
    blanks: draft?.blanks ?? [],
    values,
  };
  return useQuery({
    queryKey: ["preview", body],
    queryFn: ({ signal }) => answered(api.POST("/preview", { body, signal })),
    enabled: draft !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 10_000,
  });
}

export function useDesk(enabled = true) {
  return useQuery({
    queryKey: ["desk"],
    queryFn: () => answered(api.GET("/desk")),
    enabled,
    refetchInterval: 60_000,
  });
}

export function useEntry(slug: string, enabled = true) {
  return useQuery({
    queryKey: ["entry", slug],
    queryFn: () => answered(api.GET("/entries/{slug}", { params: { path: { slug } } })),
    enabled,
  });
}

/** The newest versions, and older ones as they are asked for. */
export function useVersions(slug: string) {
  return useInfiniteQuery({
    queryKey: ["versions", slug],
    queryFn: ({ pageParam }) =>
      answered(
        api.GET("/entries/{slug}/versions", {
          params: { path: { slug }, query: { cursor: pageParam || undefined } },
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (last) => last.next,
    select: (all) => ({
      items: all.pages.flatMap((p) => p.items),
      helped: all.pages.flatMap((p) => p.helped ?? []),
      elsewhere: all.pages[0]?.elsewhere ?? [],
    }),
  });
}

/** What differs between two versions; without numbers, the newest and the one on the shelf before it. */
export function useDiff(slug: string, from?: number, to?: number, enabled = true) {
  return useQuery({
    queryKey: ["diff", slug, from, to],
    queryFn: () =>
      answered(api.GET("/entries/{slug}/diff", { params: { path: { slug }, query: { from, to } } })),
    enabled,
  });
}

/** The open version with its ETag, read afresh each time the editor opens. */
export function useDraft(slug: string) {
  return useQuery({
    queryKey: ["draft", slug],
    queryFn: () => readDraft(slug),
    staleTime: Infinity,
    gcTime: 0,
  });
}

export function readDraft(slug: string) {
  return answeredWith(api.GET("/entries/{slug}/draft", { params: { path: { slug } } }));
}

/** Saves a draft on the state that was read under etag; without one it begins the next version. */
export function saveDraft(slug: string, etag: string, body: NewEntry) {
  const header = etag ? { "If-Match": etag } : { "If-None-Match": "*" };
  return answeredWith(api.PUT("/entries/{slug}/draft", { params: { path: { slug }, header }, body }));
}

export function createEntry(body: NewEntry) {
  return answered(api.POST("/entries", { body }));
}

/** A decision names the text that was shown: it holds for no other. */
const decided = (slug: string, seen: string) => ({ path: { slug }, header: { "If-Match": `"${seen}"` } });

/** What the life cycle offers for an entry, by action. */
const steps = {
  submit: (slug: string, text: string, _: string, settles: number[]) =>
    api.POST("/entries/{slug}/submit", { params: { path: { slug } }, body: { note: text, settles } }),
  withdraw: (slug: string) => api.POST("/entries/{slug}/withdraw", { params: { path: { slug } } }),
  approve: (slug: string, text: string, seen: string) =>
    api.POST("/entries/{slug}/approve", { params: decided(slug, seen), body: { comment: text } }),
  return: (slug: string, text: string, seen: string) =>
    api.POST("/entries/{slug}/return", { params: decided(slug, seen), body: { because: text } }),
  restore: (slug: string) => api.POST("/entries/{slug}/restore", { params: { path: { slug } } }),
  publish: (slug: string, _: string, seen: string) =>
    api.POST("/entries/{slug}/publish", { params: decided(slug, seen) }),
};
export type Step = keyof typeof steps;

/** Takes an entry off the shelf. */
export function useRetire(slug: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { because: string; instead?: string }) =>
      answered(api.POST("/entries/{slug}/retire", { params: { path: { slug } }, body })),
    onSuccess: () => void cache.invalidateQueries(),
  });
}

/** Takes a step in an entry's life; seen names the text that a decision is about. */
export function useStep(slug: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({
      step,
      text = "",
      seen = "",
      settles = [],
    }: {
      step: Step;
      text?: string;
      seen?: string;
      settles?: number[];
    }): Promise<Entry> => answered(steps[step](slug, text, seen, settles)),
    // Not waited for: the page that took the step has its say first.
    onSettled: () => void cache.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "draft" }),
  });
}
