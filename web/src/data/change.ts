import { useMutation, useQueryClient } from "@tanstack/react-query";

/** A change after which everything but an open draft is read anew. */
export function useChange<In, Out>(change: (input: In) => Promise<Out>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: change,
    // Not waited for: the page that made the change has its say first.
    onSettled: () => void cache.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "draft" }),
  });
}
