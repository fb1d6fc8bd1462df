import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answered, answeredWith, api, Refused } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Registered = Schemas["Registered"];
export type RegisterOf = Schemas["Register"];
export type Layout = Schemas["Layout"];
export type SavedLayout = Schemas["SavedLayout"];
export type LayoutBox = Schemas["LayoutBox"];
export type FilledBox = Schemas["FilledBox"];

/** The applications and models that are used, with the ETag that a change must name. */
export function useRegister() {
  return useQuery({
    queryKey: ["register"],
    queryFn: () => answeredWith(api.GET("/register")),
    staleTime: 30_000,
  });
}

export function useAddRegistered() {
  return useChange(
    (body: Schemas["NewRegistered"]) => answeredWith(api.POST("/register", { body })),
    "register",
  );
}

export function useChangeRegistered() {
  return useChange(
    ({
      etag,
      facet,
      term,
      change,
    }: {
      etag: string;
      facet: string;
      term: string;
      change: Schemas["RegisteredChange"];
    }) =>
      answeredWith(
        api.PUT("/register/{facet}/{term}", {
          params: { path: { facet, term }, header: { "If-Match": etag } },
          body: change,
        }),
      ),
    "register",
  );
}

export function useSetBudget() {
  return useChange(
    ({ etag, budget }: { etag: string; budget: Schemas["BudgetChange"] }) =>
      answeredWith(api.PUT("/register/budget", { params: { header: { "If-Match": etag } }, body: budget })),
    "register",
  );
}

/** Gives all entries that have a term another one in its place; what it gives undoes it within an hour. */
export function useMoveLabel() {
  return useChange(({ facet, term, to }: { facet: string; term: string; to: string }) =>
    answered(api.POST("/register/{facet}/{term}/move", { params: { path: { facet, term } }, body: { to } })),
  );
}

/** How each application wants a stack delivered, of those that say so. */
export function useLayouts() {
  return useQuery({ queryKey: ["layouts"], queryFn: () => answered(api.GET("/layouts")), staleTime: 30_000 });
}

/** An application's layout with the ETag that a change must name; nothing where it has none. */
export function useLayout(application: string) {
  return useQuery({
    queryKey: ["layout", application],
    queryFn: async (): Promise<{ data?: SavedLayout; etag: string }> => {
      try {
        return await answeredWith(api.GET("/layouts/{application}", { params: { path: { application } } }));
      } catch (e) {
        if (e instanceof Refused && e.status === 404) return { etag: '"layout.0"' };
        throw e;
      }
    },
    gcTime: 0,
  });
}

export function useSetLayout(application: string) {
  return useChange(({ etag, layout }: { etag: string; layout: Layout }) =>
    answeredWith(
      api.PUT("/layouts/{application}", {
        params: { path: { application }, header: { "If-Match": etag } },
        body: layout,
      }),
    ),
  );
}

export function useDeleteLayout(application: string) {
  return useChange<void, unknown>(() =>
    answered(api.DELETE("/layouts/{application}", { params: { path: { application } } })),
  );
}

/** What a layout that is not saved makes of an entry; it follows the form as it is filled in. */
export function useTryLayout(layout: Layout, slug: string) {
  return useQuery({
    queryKey: ["layout-trial", layout, slug],
    queryFn: ({ signal }) => answered(api.POST("/layout-trials", { body: { layout, slug }, signal })),
    enabled: slug !== "",
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 10_000,
  });
}
