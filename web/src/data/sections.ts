import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { answered, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

export type Section = components["schemas"]["Section"];
export type SectionChange = components["schemas"]["SectionChange"];

/** The sections of the shelf in their order, each with the first of its entries. */
export function useSections() {
  return useQuery({
    queryKey: ["sections"],
    queryFn: () => answered(api.GET("/sections")),
    staleTime: 10_000,
  });
}

/** One section, a page of its entries at a time. */
export function useSection(name: string) {
  return useInfiniteQuery({
    queryKey: ["section", name],
    queryFn: ({ pageParam }) =>
      answered(
        api.GET("/sections/{name}", {
          params: { path: { name }, query: { cursor: pageParam || undefined, limit: 24 } },
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (last) => last.next,
  });
}

export function useSetSection() {
  return useChange(({ name, change }: { name: string; change: SectionChange }) =>
    answered(api.PUT("/sections/{name}", { params: { path: { name } }, body: change })),
  );
}

export function useDeleteSection() {
  return useChange((name: string) =>
    answered(api.DELETE("/sections/{name}", { params: { path: { name } } })),
  );
}

export function useOrderSections() {
  return useChange((names: string[]) => answered(api.PUT("/sections", { body: { names } })));
}
