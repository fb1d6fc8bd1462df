import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { answered, api } from "./api";
import { useChange } from "./change";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Talk = Schemas["Talk"];
export type TalkReply = Schemas["TalkReply"];
export type TryRequest = Schemas["TryRequest"];
export type TryColumn = Schemas["TryColumn"];
export type AskableModel = Schemas["AskableModel"];

/** The models that can be asked. */
export function useModels() {
  return useQuery({ queryKey: ["models"], queryFn: () => answered(api.GET("/models")), staleTime: 60_000 });
}

export function useTry() {
  return useChange((body: TryRequest) => answered(api.POST("/tries", { body })));
}

/** Has a model say how a draft could read, by a prompt that helps with that. */
export function usePropose(slug: string) {
  return useChange((body: Schemas["NewProposal"]) =>
    answered(api.POST("/entries/{slug}/proposals", { params: { path: { slug } }, body })),
  );
}

/** Says that a proposal, or a part of it, stands in the draft. */
export function useTakeProposal() {
  return useChange((id: string) => answered(api.POST("/tries/{id}/taken", { params: { path: { id } } })));
}

export function useTalks(q: string) {
  return useQuery({
    queryKey: ["talks", q],
    queryFn: () => answered(api.GET("/talks", { params: { query: { q: q || undefined } } })),
    placeholderData: keepPreviousData,
  });
}

export function useTalk(id: string) {
  return useQuery({
    queryKey: ["talk", id],
    queryFn: () => answered(api.GET("/talks/{id}", { params: { path: { id } } })),
  });
}

export function useFollowUp(talk: string) {
  return useChange((body: Schemas["FollowUp"]) =>
    answered(api.POST("/talks/{id}/messages", { params: { path: { id: talk } }, body })),
  );
}

export function useStopReply() {
  return useChange((id: string) => answered(api.POST("/tries/{id}/stop", { params: { path: { id } } })));
}

export function useDeleteTalk() {
  return useChange((id: string) => answered(api.DELETE("/talks/{id}", { params: { path: { id } } })));
}

export function useKeepTalk(id: string) {
  return useChange((kept: boolean) =>
    answered(api.PUT("/talks/{id}/kept", { params: { path: { id } }, body: { kept } })),
  );
}

export function useShareTalk(id: string) {
  return useChange((body: Schemas["TalkSharing"]) =>
    answered(api.PUT("/talks/{id}/readers", { params: { path: { id } }, body })),
  );
}

/** What a new entry would be that asks what a reply was asked. */
export function readReplyAsEntry(id: string) {
  return answered(api.GET("/tries/{id}/entry", { params: { path: { id } } }));
}

/** What a document says. */
export function readDocument(file: File) {
  return answered(
    api.POST("/documents/text", {
      body: file as unknown as string,
      bodySerializer: (f) => f as unknown as Blob,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );
}

export const isOver = (r: TalkReply) => r.state !== "waiting" && r.state !== "running";

/** A reply with its text as it comes; once it has ended, its talk is read anew. */
export function useLiveReply(reply: TalkReply): TalkReply {
  const [now, setNow] = useState({ id: reply.id, text: reply.text });
  const cache = useQueryClient();
  const over = isOver(reply);
  useEffect(() => {
    if (over) return;
    let text = "";
    const events = new EventSource(`/api/v1/tries/${reply.id}/events`);
    events.addEventListener("piece", (e) => {
      const piece = JSON.parse((e as MessageEvent<string>).data) as Schemas["ReplyPiece"];
      if (piece.at === 0) text = ""; // it is asked for anew
      text += piece.text;
      setNow({ id: reply.id, text });
    });
    events.addEventListener("ended", () => {
      events.close();
      void cache.invalidateQueries({ queryKey: ["talk", reply.talk] });
      void cache.invalidateQueries({ queryKey: ["talks"] });
      void cache.invalidateQueries({ queryKey: ["run"] });
      void cache.invalidateQueries({ queryKey: ["allowances"] });
    });
    return () => events.close();
  }, [reply.id, reply.talk, over, cache]);
  return over ? reply : { ...reply, text: now.id === reply.id ? now.text : "" };
}
