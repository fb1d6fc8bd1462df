import { useQuery } from "@tanstack/react-query";
import { answered, api } from "./api";
import { useChange } from "./change";

/** What this person keeps at hand, the last that was added first. */
export function useFavourites() {
  return useQuery({
    queryKey: ["favourites"],
    queryFn: () => answered(api.GET("/favourites")),
    staleTime: 10_000,
  });
}

/** Keeps an entry at hand, or no longer. */
export function useFavour() {
  return useChange(({ slug, on }: { slug: string; on: boolean }) => {
    const params = { path: { slug } };
    return on
      ? answered(api.PUT("/favourites/{slug}", { params }))
      : answered(api.DELETE("/favourites/{slug}", { params }));
  });
}
