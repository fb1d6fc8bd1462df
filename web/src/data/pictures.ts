import { useMutation } from "@tanstack/react-query";
import { answered, api } from "./api";
import type { components } from "./schema";

export type Picture = components["schemas"]["Picture"];

/** Where a picture is, in a size. */
export function pictureAddress(id: string, size: "small" | "medium" | "large"): string {
  return `/api/v1/pictures/${id}/${size}`;
}

/** Brings a picture, for a draft to name by the id that it gets. */
export function useAddPicture() {
  return useMutation({
    mutationFn: (file: File) =>
      answered(
        api.POST("/pictures", {
          body: file as unknown as string,
          bodySerializer: (f) => f as unknown as Blob,
          headers: { "Content-Type": "application/octet-stream" },
        }),
      ),
  });
}
