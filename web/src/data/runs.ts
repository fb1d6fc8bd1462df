import { t } from "@lingui/core/macro";
import { useQuery } from "@tanstack/react-query";
import { answered, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Run = Schemas["Run"];
export type RunStep = Schemas["RunStep"];
export type RunForm = Schemas["RunForm"];
export type RunLayout = Schemas["RunLayout"];
export type Step = Schemas["Step"];

/** What a relay asks for, and how it runs. */
export function useRunForm(ref: string, enabled: boolean) {
  return useQuery({
    queryKey: ["relay", ref],
    queryFn: () => answered(api.GET("/relays/{ref}", { params: { path: { ref } } })),
    retry: false,
    enabled,
  });
}

export function useStartRun() {
  return useChange((body: Schemas["NewRun"]) => answered(api.POST("/runs", { body })));
}

export function useRuns(slug?: string) {
  return useQuery({
    queryKey: ["runs", slug ?? ""],
    queryFn: () => answered(api.GET("/runs", { params: { query: { slug } } })),
  });
}

/** A run, looked at again and again while it runs. */
export function useRun(id: string) {
  return useQuery({
    queryKey: ["run", id],
    queryFn: () => answered(api.GET("/runs/{id}", { params: { path: { id } } })),
    refetchInterval: (q) => (q.state.data?.state === "running" ? 600 : false),
  });
}

export function useStopRun() {
  return useChange((id: string) => answered(api.POST("/runs/{id}/stop", { params: { path: { id } } })));
}

export function useKeepRun() {
  return useChange((b: { id: string; kept: boolean }) =>
    answered(api.PUT("/runs/{id}/kept", { params: { path: { id: b.id } }, body: { kept: b.kept } })),
  );
}

export function useDeleteRun() {
  return useChange((id: string) => answered(api.DELETE("/runs/{id}", { params: { path: { id } } })));
}

export function useRunStep(id: string) {
  return useChange((b: { name: string; on: boolean }) =>
    answered(
      api.POST("/runs/{id}/steps/{name}", { params: { path: { id, name: b.name } }, body: { on: b.on } }),
    ),
  );
}

/** Reads what a run was given, from the file that it was saved to. */
export function readRun(file: File) {
  return answered(
    api.POST("/runs/read", {
      body: file as unknown as string,
      bodySerializer: (f) => f as unknown as Blob,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );
}

const takenReply = /\{\{\s*from\s+([a-z][a-z0-9_]*)\s*\}\}/g;

/** The steps whose replies one takes. */
export function takesOf(step: Step): string[] {
  const all = Object.values(step.with ?? {}).flatMap((text) =>
    [...text.matchAll(takenReply)].map((m) => m[1] ?? ""),
  );
  if (step.over) all.push(step.over.step);
  return [...new Set(all)].sort();
}

/**
 * Steps as they would run, while they are being written: those of a wave run together. What goes in a
 * circle, or takes the reply of none, stands in the last wave; the checks tell of it.
 */
export function layoutOf(steps: Step[]): RunLayout[] {
  const wave = new Map<string, number>();
  for (let n = 0; n < steps.length; n++) {
    const ready = steps.filter((s) => !wave.has(s.name) && takesOf(s).every((t) => (wave.get(t) ?? n) < n));
    for (const s of ready) wave.set(s.name, n);
  }
  const last = Math.max(0, ...wave.values());
  return steps.map((s) => ({ ...s, title: s.use, takes: takesOf(s), wave: wave.get(s.name) ?? last + 1 }));
}

/** What a pass goes over, in words. */
export function overWords(over: NonNullable<Step["over"]>): string {
  const which = { all: t`every section of`, first: t`the first section of`, last: t`the last section of` }[
    over.sections
  ];
  return `${which ?? t`the section “${over.sections}” of`} ${over.step}`;
}
