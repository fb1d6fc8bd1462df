import { useMutation, useQuery } from "@tanstack/react-query";
import { answered, answeredWith, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Connection = Schemas["Connection"];
export type NewConnection = Schemas["NewConnection"];
export type ConnectionTried = Schemas["ConnectionTried"];

/** Where models answer. */
export function useConnections() {
  return useQuery({ queryKey: ["connections"], queryFn: () => answered(api.GET("/connections")) });
}

/** One connection, with the ETag that a change must name. */
export function useConnection(name: string) {
  return useQuery({
    queryKey: ["connection", name],
    queryFn: () => answeredWith(api.GET("/connections/{name}", { params: { path: { name } } })),
    staleTime: 0,
  });
}

export function useAddConnection() {
  return useChange((body: NewConnection) => answered(api.POST("/connections", { body })));
}

export function useSetConnection(name: string) {
  return useChange(({ etag, body }: { etag: string; body: NewConnection }) =>
    answered(
      api.PUT("/connections/{name}", { params: { path: { name }, header: { "If-Match": etag } }, body }),
    ),
  );
}

export function useDeleteConnection() {
  return useChange((name: string) =>
    answered(api.DELETE("/connections/{name}", { params: { path: { name } } })),
  );
}

/** Asks a model of a connection; nothing is kept. */
export function useTryConnection(name: string) {
  return useMutation({
    mutationFn: (body: Schemas["ConnectionTrial"]) =>
      answered(api.POST("/connections/{name}/test", { params: { path: { name } }, body })),
  });
}
