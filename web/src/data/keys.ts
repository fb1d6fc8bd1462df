import { useQuery } from "@tanstack/react-query";
import { answered, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Key = Schemas["Key"];
export type KeyChange = Schemas["KeyChange"];

/** The keys by which applications call. */
export function useKeys() {
  return useQuery({ queryKey: ["keys"], queryFn: () => answered(api.GET("/keys")) });
}

export function useAddKey() {
  return useChange((body: Schemas["NewKey"]) => answered(api.POST("/keys", { body })));
}

export function useSetKey() {
  return useChange(({ key, body }: { key: Key; body: KeyChange }) =>
    answered(
      api.PUT("/keys/{name}", {
        params: { path: { name: key.name }, header: { "If-Match": `"key.${key.number}"` } },
        body,
      }),
    ),
  );
}

export function useRenewKey() {
  return useChange(({ name, overlap }: { name: string; overlap: number }) =>
    answered(api.POST("/keys/{name}/renew", { params: { path: { name } }, body: { overlap } })),
  );
}

export function useDeleteKey() {
  return useChange((name: string) => answered(api.DELETE("/keys/{name}", { params: { path: { name } } })));
}
