import { useMutation, useQueryClient } from "@tanstack/react-query";

/**
 * A change after which everything but an open draft is read anew. What it answers with is, where reads
 * names one, what that query reads from now on.
 */
export function useChange<In, Out>(change: (input: In) => Promise<Out>, reads?: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: (out) => {
      if (reads) cache.setQueryData([reads], out);
    },
    // Not waited for: the page that made the change has its say first.
    onSettled: () => void cache.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "draft" }),
  });
}
