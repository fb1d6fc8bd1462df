import { useQuery } from "@tanstack/react-query";
import { answered, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Colleague = Schemas["Colleague"];
export type PersonChange = Schemas["PersonChange"];
export type Person = Schemas["Person"];

export function useTransfer(slug: string) {
  return useChange((to: string) =>
    answered(api.POST("/entries/{slug}/transfer", { params: { path: { slug } }, body: { to } })),
  );
}

/** Says who stands in for an entry's owner, and where it belongs. */
export function useSetOwners(slug: string) {
  return useChange((body: Schemas["Owners"]) =>
    answered(api.PUT("/entries/{slug}/owners", { params: { path: { slug } }, body })),
  );
}

export function useTransferAll() {
  return useChange(({ from, to }: { from: string; to: string }) =>
    answered(api.POST("/people/{name}/transfer", { params: { path: { name: from } }, body: { to } })),
  );
}

export function useAnswerOffer(slug: string) {
  return useChange(async (accept: boolean): Promise<void> => {
    if (accept) await answered(api.POST("/entries/{slug}/accept", { params: { path: { slug } } }));
    else await answered(api.POST("/entries/{slug}/decline", { params: { path: { slug } } }));
  });
}

export function usePeople(enabled = true) {
  return useQuery({
    queryKey: ["people"],
    queryFn: () => answered(api.GET("/people")),
    enabled,
    staleTime: 30_000,
  });
}

export function useAddPerson() {
  return useChange((body: Person) => answered(api.POST("/people", { body })));
}

export function useChangePerson() {
  return useChange(({ name, body }: { name: string; body: PersonChange }) =>
    answered(api.PATCH("/people/{name}", { params: { path: { name } }, body })),
  );
}

/** Shows what transferring many entries would do. */
export const planTransfer = (body: Schemas["TransferMany"]) =>
  answered(api.POST("/transfers/plan", { body }));

export function useTransferMany() {
  return useChange((body: Schemas["TransferMany"]) => answered(api.POST("/transfers", { body })));
}

/** Gives entries back to those who answered for them when it was planned. */
export function useGiveBack() {
  return useChange(async (planned: Schemas["TransferItem"][]) => {
    for (const to of new Set(planned.map((i) => i.owner))) {
      const slugs = planned.filter((i) => i.owner === to && !i.offered).map((i) => i.slug);
      const { digest } = await planTransfer({ to, slugs });
      await answered(api.POST("/transfers", { body: { to, slugs, digest } }));
    }
  });
}

/** Deletes what is somebody's alone, and makes them nameless in what stays. */
export function useDeletePerson() {
  return useChange((name: string) => answered(api.DELETE("/people/{name}", { params: { path: { name } } })));
}

export function useOwnership() {
  return useQuery({ queryKey: ["ownership"], queryFn: () => answered(api.GET("/ownership")) });
}

/** The entries that a person owns or stands in for. */
export function useMine(enabled: boolean) {
  return useQuery({
    queryKey: ["entries", "mine"],
    queryFn: () => answered(api.GET("/entries", { params: { query: { mine: true, limit: 200 } } })),
    enabled,
  });
}
