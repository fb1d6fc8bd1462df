import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { answered, answeredWith, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Bed = Schemas["Bed"];
export type TestBed = Schemas["TestBed"];
export type TestFill = Schemas["TestFill"];
export type Expectation = Schemas["Expectation"];
export type SetUp = Schemas["SetUp"];
export type NewTrial = Schemas["NewTrial"];
export type Trial = Schemas["Trial"];
export type TrialItem = Schemas["TrialItem"];
export type TrialCell = Schemas["TrialCell"];
export type TrialReply = Schemas["TrialReply"];
export type Figures = Schemas["Figures"];
export type Trend = Schemas["Trend"];
export type UserTrials = Schemas["UserTrials"];
export type NewUserTrials = Schemas["NewUserTrials"];

const lookEvery = 1000; // milliseconds, while replies are awaited

/** An entry's test bed, with the ETag that a change must name. */
export function useTestBed(slug: string) {
  return useQuery({
    queryKey: ["test-bed", slug],
    queryFn: () => answeredWith(api.GET("/entries/{slug}/test-bed", { params: { path: { slug } } })),
  });
}

export function useSetTestBed(slug: string) {
  return useChange(({ etag, body }: { etag: string; body: Bed }) =>
    answered(
      api.PUT("/entries/{slug}/test-bed", { params: { path: { slug }, header: { "If-Match": etag } }, body }),
    ),
  );
}

/** Reads fills from a table; nothing is kept. */
export function useReadFills() {
  return useMutation({
    mutationFn: (csv: string) => answered(api.POST("/trials/fills", { body: { csv } })),
  });
}

/** What a trial would take, or what is wrong with it. */
export function useEstimate(slug: string, body: NewTrial, enabled: boolean) {
  return useQuery({
    queryKey: ["estimate", slug, body],
    queryFn: () =>
      answered(api.POST("/entries/{slug}/trials/estimate", { params: { path: { slug } }, body })),
    enabled,
    retry: false,
    placeholderData: keepPreviousData,
  });
}

export function useStartTrial(slug: string) {
  return useChange((body: NewTrial) =>
    answered(api.POST("/entries/{slug}/trials", { params: { path: { slug } }, body })),
  );
}

/** The trials of an entry, or of all, the last begun first; of one change only, if so wished. */
export function useTrials(slug: string, change?: Trend) {
  return useQuery({
    queryKey: ["trials", slug, change],
    queryFn: () => answered(api.GET("/trials", { params: { query: { entry: slug || undefined, change } } })),
    refetchInterval: (q) => (q.state.data?.items.some((t) => t.state === "running") ? lookEvery : false),
  });
}

/** What uses an entry, and how that does with its open version. */
export function useUserTrials(slug: string) {
  return useQuery({
    queryKey: ["trials", "users", slug],
    queryFn: () => answered(api.GET("/entries/{slug}/user-trials", { params: { path: { slug } } })),
    refetchInterval: (q) =>
      q.state.data?.items.some((u) => u.trial?.state === "running") ? lookEvery : false,
  });
}

export function useEstimateUsers(slug: string, body: NewUserTrials, enabled: boolean) {
  return useQuery({
    queryKey: ["estimate", "users", slug, body],
    queryFn: () =>
      answered(api.POST("/entries/{slug}/user-trials/estimate", { params: { path: { slug } }, body })),
    enabled,
    retry: false,
    placeholderData: keepPreviousData,
  });
}

export function useStartUserTrials(slug: string) {
  return useChange((body: NewUserTrials) =>
    answered(api.POST("/entries/{slug}/user-trials", { params: { path: { slug } }, body })),
  );
}

/** A trial, read again as its replies come. */
export function useTrial(id: string) {
  const cache = useQueryClient();
  const trial = useQuery({
    queryKey: ["trial", id],
    queryFn: () => answered(api.GET("/trials/{id}", { params: { path: { id } } })),
  });
  const running = trial.data !== undefined && (trial.data.state === "running" || trial.data.unchecked > 0);
  useEffect(() => {
    if (!running) return;
    const events = new EventSource(`/api/v1/trials/${id}/events`);
    const read = () => void cache.invalidateQueries({ queryKey: ["trial", id] });
    events.addEventListener("progress", read);
    events.addEventListener("ended", () => {
      events.close();
      read();
      void cache.invalidateQueries({ queryKey: ["trials"] });
      void cache.invalidateQueries({ queryKey: ["allowances"] });
    });
    return () => events.close();
  }, [id, running, cache]);
  return trial;
}

export function useTrialCell(id: string, fill: number, setUp: number) {
  return useQuery({
    queryKey: ["trial", id, fill, setUp],
    queryFn: () =>
      answered(
        api.GET("/trials/{id}/cells/{fill}/{set_up}", { params: { path: { id, fill, set_up: setUp } } }),
      ),
  });
}

export function useStopTrial(id: string) {
  return useChange(() => answered(api.POST("/trials/{id}/stop", { params: { path: { id } } })));
}

export function useResumeTrial(id: string) {
  return useChange((failed: boolean) =>
    answered(api.POST("/trials/{id}/resume", { params: { path: { id } }, body: { failed } })),
  );
}

export function useDeleteTrial(id: string) {
  return useChange(() => answered(api.DELETE("/trials/{id}", { params: { path: { id } } })));
}

export function useMark(id: string) {
  return useChange(({ reply, expectation, met }: { reply: string; expectation: number; met: boolean }) =>
    answered(
      api.PUT("/trials/{id}/replies/{reply}/marks/{expectation}", {
        params: { path: { id, reply, expectation } },
        body: { met },
      }),
    ),
  );
}

/** Two replies without whose they are; none once all were compared. */
export function usePair(id: string) {
  return useQuery({
    queryKey: ["pair", id],
    queryFn: () => answered(api.GET("/trials/{id}/pair", { params: { path: { id } } })),
    retry: false,
  });
}

export function usePrefer(id: string) {
  return useChange((body: Schemas["NewPreference"]) =>
    answered(api.POST("/trials/{id}/preferences", { params: { path: { id } }, body })),
  );
}

export const percent = (share: number) => `${Math.round(share * 100)} %`;
