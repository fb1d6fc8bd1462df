import { spoken } from "../languages/languages";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answered, api } from "./api";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Period = Schemas["Period"];
export type Coverage = Schemas["Coverage"];
export type UseFigures = Schemas["UseFigures"];
export type UseSeries = Schemas["UseSeries"];
export type Gap = Schemas["Gap"];
export type Contributor = Schemas["ContributorFigure"];

/** Which figures are wanted. What is empty is as usual. */
export interface Wanted {
  since?: string;
  until?: string;
  department?: string;
  application?: string;
}

const day = (d: Date) => d.toISOString().slice(0, 10);

/** So many weeks that have ended; thirteen are the usual. */
export function weeksOf(n: number): Wanted {
  if (n === 13) return {};
  const since = new Date();
  since.setUTCDate(since.getUTCDate() - ((since.getUTCDay() + 6) % 7) - 7 * n);
  return { since: day(since) };
}

/** Figures come as a table too, which is never asked for here. */
const figures = async <T>(answer: Promise<T>) => (await answer) as Exclude<T, string>;

const asked = (wanted: Wanted) => Object.fromEntries(Object.entries(wanted).filter(([, v]) => v)) as Wanted;

export function useCoverage(wanted: Wanted, rows: string, columns: string) {
  return useQuery({
    queryKey: ["stocktake", "coverage", wanted, rows, columns],
    queryFn: () =>
      figures(
        answered(api.GET("/stocktake/coverage", { params: { query: { ...asked(wanted), rows, columns } } })),
      ),
    placeholderData: keepPreviousData,
  });
}

export type By = "entry" | "application" | "department" | "kind";

export function useUseFigures(wanted: Wanted, by: By) {
  return useQuery({
    queryKey: ["stocktake", "use", wanted, by],
    queryFn: () =>
      figures(answered(api.GET("/stocktake/use", { params: { query: { ...asked(wanted), by } } }))),
    placeholderData: keepPreviousData,
  });
}

const plain = ({ since, until }: Wanted) => asked({ since, until });

export function useGaps(wanted: Wanted) {
  return useQuery({
    queryKey: ["stocktake", "gaps", wanted],
    queryFn: () => figures(answered(api.GET("/stocktake/gaps", { params: { query: plain(wanted) } }))),
    placeholderData: keepPreviousData,
  });
}

export type Repetition = Schemas["Repetition"];
export type Drifted = Schemas["Drifted"];

/** What the library says more than once. */
export function useRepetition() {
  return useQuery({
    queryKey: ["stocktake", "repetition"],
    queryFn: () => figures(answered(api.GET("/stocktake/repetition"))),
  });
}

export function useFreshness(wanted: Wanted) {
  return useQuery({
    queryKey: ["stocktake", "freshness", wanted],
    queryFn: () => figures(answered(api.GET("/stocktake/freshness", { params: { query: plain(wanted) } }))),
    placeholderData: keepPreviousData,
  });
}

export function useContributors(wanted: Wanted) {
  return useQuery({
    queryKey: ["stocktake", "contributors", wanted],
    queryFn: () =>
      figures(answered(api.GET("/stocktake/contributors", { params: { query: plain(wanted) } }))),
    placeholderData: keepPreviousData,
  });
}

export function useThank(wanted: Wanted) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (name: string) =>
      answered(
        api.POST("/stocktake/contributors/{name}/thanks", {
          params: { path: { name }, query: plain(wanted) },
        }),
      ),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["stocktake", "contributors"] }),
  });
}

export function useCosts(wanted: Wanted) {
  return useQuery({
    queryKey: ["stocktake", "costs", wanted],
    queryFn: () => figures(answered(api.GET("/stocktake/costs", { params: { query: plain(wanted) } }))),
    placeholderData: keepPreviousData,
  });
}

export function useQuality() {
  return useQuery({
    queryKey: ["stocktake", "quality"],
    queryFn: () => figures(answered(api.GET("/stocktake/quality"))),
  });
}

export function useReport(wanted: Wanted) {
  return useQuery({
    queryKey: ["stocktake", "report", wanted],
    queryFn: () => figures(answered(api.GET("/stocktake/report", { params: { query: plain(wanted) } }))),
    placeholderData: keepPreviousData,
  });
}

/** Where a report is as Markdown, in the language of the page. */
export function reportOf(wanted: Wanted): string {
  const query = { ...plain(wanted), language: spoken(), format: "markdown" };
  return `/api/v1/stocktake/report?${new URLSearchParams(query)}`;
}

/** Where figures are as a table. */
export function tableOf(figure: string, wanted: Wanted, more: Record<string, string> = {}): string {
  return `/api/v1/stocktake/${figure}?${new URLSearchParams({ ...asked(wanted), ...more, format: "csv" })}`;
}
