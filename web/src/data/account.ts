import { useQuery } from "@tanstack/react-query";
import { answered, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type OpenSession = Schemas["OpenSession"];
export type SignOnLink = Schemas["SignOnLink"];

/** Where one is signed in. */
export function useSessions() {
  return useQuery({ queryKey: ["sessions"], queryFn: () => answered(api.GET("/sessions")) });
}

export function useEndSession() {
  return useChange((id: string) => answered(api.DELETE("/sessions/{id}", { params: { path: { id } } })));
}

/** By what the company's provider knows one. */
export function useSignOnLinks() {
  return useQuery({ queryKey: ["sign-ons"], queryFn: () => answered(api.GET("/session/sign-ons")) });
}

/** Begins a sign-on by which one is known from then on, and goes there. */
export function useLinkSignOn() {
  return useChange(async () => {
    const { address } = await answered(api.POST("/session/sign-ons"));
    window.location.assign(address);
  });
}

export function useUnlinkSignOn() {
  return useChange(({ issuer, subject }: SignOnLink) =>
    answered(api.DELETE("/session/sign-ons", { params: { query: { issuer, subject } } })),
  );
}

/** What the groups of the company's provider mean. */
export type SignOnGroups = Schemas["SignOnGroups"];

export function useSignOnGroups() {
  return useQuery({ queryKey: ["sign-on-groups"], queryFn: () => answered(api.GET("/sign-on/groups")) });
}

export function useSetSignOnGroups() {
  return useChange((groups: SignOnGroups) =>
    answered(
      api.PUT("/sign-on/groups", {
        params: { header: { "If-Match": `"groups.${groups.number}"` } },
        body: groups,
      }),
    ),
  );
}

/** How it stands with one's one-time codes. */
export function useCodes() {
  return useQuery({ queryKey: ["codes"], queryFn: () => answered(api.GET("/session/codes")) });
}

export function useBeginCodes() {
  return useChange((password: string) => answered(api.POST("/session/codes", { body: { password } })));
}

export function useConfirmCodes() {
  return useChange((code: string) => answered(api.PUT("/session/codes", { body: { code } })));
}

export function useDropCodes() {
  return useChange((password: string) => answered(api.POST("/session/codes/off", { body: { password } })));
}
