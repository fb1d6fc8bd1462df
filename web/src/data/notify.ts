import { useInfiniteQuery, useMutation, useQuery } from "@tanstack/react-query";
import { answered, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type NewsItem = Schemas["NewsItem"];
export type Follow = Schemas["Follow"];
export type Channel = Schemas["Channel"];
export type NewChannel = Schemas["NewChannel"];

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
  return useChange((body: NewChannel) => answered(api.POST("/channels", { body })));
}

export function useSetChannel(id: number) {
  return useChange((body: NewChannel) =>
    answered(api.PUT("/channels/{id}", { params: { path: { id } }, body })),
  );
}

export function useDeleteChannel() {
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
