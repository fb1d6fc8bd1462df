import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { answered, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type StyleFigures = Schemas["StyleFigures"];
export type Figure = Schemas["Figure"];
export type Voice = Schemas["Voice"];
export type VoiceFit = Schemas["VoiceFit"];
export type FitFigure = Schemas["FitFigure"];
export type Sample = Schemas["Sample"];
export type CharacteristicWord = Schemas["CharacteristicWord"];

/** What is measured of a style's samples. */
export function useStyleFigures(slug: string, enabled = true) {
  return useQuery({
    queryKey: ["style-figures", slug],
    queryFn: () => answered(api.GET("/styles/{slug}/figures", { params: { path: { slug } } })),
    enabled,
  });
}

/** How near a text is to a style while it is written. */
export function useFitOf(text: string, style: string, language?: string) {
  return useQuery({
    queryKey: ["fit", style, language, text],
    queryFn: ({ signal }) => answered(api.POST("/voice", { body: { text, style, language }, signal })),
    enabled: text.trim() !== "",
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 10_000,
  });
}

/** Sets a text beside a style; nothing is kept of it. */
export function useFit(style: string) {
  return useMutation({
    mutationFn: (text: string) => answered(api.POST("/voice", { body: { text, style } })),
  });
}

/** The samples of a style, for those who look after it. */
export function useSamples(slug: string) {
  return useQuery({
    queryKey: ["samples", slug],
    queryFn: () => answered(api.GET("/styles/{slug}/samples", { params: { path: { slug } } })),
    retry: false,
  });
}

export function useSample(slug: string, id: number) {
  return useQuery({
    queryKey: ["sample", slug, id],
    queryFn: () => answered(api.GET("/styles/{slug}/samples/{id}", { params: { path: { slug, id } } })),
    gcTime: 0,
  });
}

interface NewSample {
  name: string;
  data: Blob;
  weight: number;
  dated?: string;
}

export function useAddSample(slug: string) {
  return useChange(({ data, ...query }: NewSample) =>
    answered(
      api.POST("/styles/{slug}/samples", {
        params: { path: { slug }, query },
        body: data as unknown as string,
        bodySerializer: (file) => file as unknown as Blob,
        headers: { "Content-Type": "application/octet-stream" },
      }),
    ),
  );
}

/** Removes a sample for good. */
export function useRemoveSample(slug: string) {
  return useChange((id: number) =>
    answered(api.DELETE("/styles/{slug}/samples/{id}", { params: { path: { slug, id } } })),
  );
}

/** A guide as the samples would have it, and what differs; edited lines stay. */
export function useDrawGuide(slug: string) {
  return useMutation({
    mutationFn: (guide: string) =>
      answered(api.POST("/styles/{slug}/guide", { params: { path: { slug } }, body: { guide } })),
  });
}
