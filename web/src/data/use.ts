import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answered, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

export type Report = components["schemas"]["Report"];
type NewReport = components["schemas"]["NewReport"];
export type Ranked = components["schemas"]["Ranked"];
export type Period = 30 | 90 | 365;

/** What is used most, kept at hand by most and new, over so many days. */
export function useBest(days: Period) {
  return useQuery({
    queryKey: ["best", days],
    queryFn: () => answered(api.GET("/best", { params: { query: { days } } })),
    staleTime: 60_000,
  });
}

/** How it went with an entry, the newest first. */
export function useReports(slug: string) {
  return useQuery({
    queryKey: ["reports", slug],
    queryFn: () => answered(api.GET("/entries/{slug}/reports", { params: { path: { slug } } })),
  });
}

/** Says how it went with the version on the shelf. */
export function useAddReport(slug: string) {
  return useChange((body: NewReport) =>
    answered(api.POST("/shelf/{ref}/reports", { params: { path: { ref: slug } }, body })),
  );
}

/** Settles a report by words. */
export function useAnswerReport(slug: string) {
  return useChange(({ id, because }: { id: number; because: string }) =>
    answered(
      api.POST("/entries/{slug}/reports/{id}/answer", { params: { path: { slug, id } }, body: { because } }),
    ),
  );
}

export type RowsFormat = "zip" | "csv" | "document";

/** Fills an entry in for each row of a table, and gives the texts as one file. */
export function fillRows(
  slug: string,
  table: File,
  how: { format: RowsFormat; name?: string; persona?: string; style?: string; sheets?: string[] },
): Promise<Blob> {
  const { sheets, ...others } = how;
  return answered(
    api.POST("/shelf/{ref}/fill-rows", {
      params: { path: { ref: slug }, query: { ...others, sheet: sheets } },
      body: table as unknown as string,
      bodySerializer: (file) => file as unknown as Blob,
      headers: { "Content-Type": "text/csv" },
      parseAs: "blob",
    }),
  ) as Promise<Blob>;
}

export type StacksToCompare = components["schemas"]["StacksToCompare"];
export type StacksCompared = components["schemas"]["StacksCompared"];

/** An entry in two stacks with the same values; it follows them as they are typed. */
export function useCompareStacks(ref: string, body: StacksToCompare) {
  return useQuery({
    queryKey: ["compared", ref, body],
    queryFn: ({ signal }) =>
      answered(api.POST("/shelf/{ref}/compare", { params: { path: { ref } }, body, signal })),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 10_000,
  });
}
