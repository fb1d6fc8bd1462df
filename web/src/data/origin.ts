import { useQuery } from "@tanstack/react-query";
import { answered, answeredWith, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type OriginMerge = Schemas["OriginMerge"];
export type Hunk = Schemas["Hunk"];
export type Part = Schemas["Part"];
export type Side = Schemas["Side"];
export type TakeOver = Schemas["TakeOver"];

/** Makes an entry one's own. */
export function useAdapt(slug: string) {
  return useChange((body: Schemas["NewAdaptation"]) =>
    answered(api.POST("/entries/{slug}/adapt", { params: { path: { slug } }, body })),
  );
}

/** Makes an entry that says the same for others. */
export function useAddRendition(slug: string) {
  return useChange((body: Schemas["NewRendition"]) =>
    answered(api.POST("/entries/{slug}/renditions", { params: { path: { slug } }, body })),
  );
}

/** Has those who see drafts see what was one's own alone. */
export function useShare(slug: string) {
  return useChange(() => answered(api.POST("/entries/{slug}/share", { params: { path: { slug } } })));
}

export function useAdaptations(slug: string) {
  return useQuery({
    queryKey: ["adaptations", slug],
    queryFn: () => answered(api.GET("/entries/{slug}/adaptations", { params: { path: { slug } } })),
  });
}

/** An entry beside where it came from, with the draft's ETag where there is a draft. */
export function useOrigin(slug: string) {
  return useQuery({
    queryKey: ["origin", slug],
    queryFn: async () => {
      const merge = await answered(api.GET("/entries/{slug}/origin", { params: { path: { slug } } }));
      if (!merge.draft) return { merge, etag: "" };
      const draft = await answeredWith(api.GET("/entries/{slug}/draft", { params: { path: { slug } } }));
      return { merge, etag: draft.etag };
    },
    gcTime: 0,
  });
}

/** Brings the draft up to where the entry came from. */
export function useTakeOver(slug: string, etag: string) {
  return useChange((body: TakeOver) => {
    const header = etag ? { "If-Match": etag } : { "If-None-Match": "*" };
    return answered(api.POST("/entries/{slug}/origin/take", { params: { path: { slug }, header }, body }));
  });
}

/** Says that one has looked, and takes nothing over. */
export function useFollowOrigin(slug: string) {
  return useChange((version: number) =>
    answered(api.POST("/entries/{slug}/origin/follow", { params: { path: { slug } }, body: { version } })),
  );
}
