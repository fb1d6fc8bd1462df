import { accepted } from "../languages/languages";
import { t } from "@lingui/core/macro";
import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Entry = Schemas["Entry"];
export type Item = Schemas["Item"];
export type List = Schemas["List"];
export type Facet = Schemas["Facet"];
export type Blank = Schemas["Blank"];
export type Value = Schemas["Value"];
export type Values = Schemas["Values"];
export type Filled = Schemas["Filled"];
export type Preview = Schemas["Preview"];
export type Span = Schemas["Span"];
export type Checked = Schemas["Checked"];
export type Uses = Schemas["Uses"];
export type FillRequest = Schemas["FillRequest"];
export type Desk = Schemas["Desk"];
export type DeskItem = Desk["items"][number];
export type NewEntry = Schemas["NewEntry"];
export type Session = Schemas["Session"];
export type Welcome = Schemas["Welcome"];
export type Heading = Schemas["KindOutline"]["outline"][number];
export type Finding = Checked["findings"][number];
export type Diff = Schemas["Diff"];
export type Rule = Schemas["Rule"];
export type Policy = Schemas["Policy"];
export type Reviewing = NonNullable<Policy["review"]>;
export type ReviewRule = NonNullable<Reviewing["rules"]>[number];
export type Kind = Schemas["Kind"];
export type Problem = Schemas["Problem"];
export type Action = Schemas["Action"];
export type Details = Schemas["ProblemDetails"];

// The page's own fetch, looked up at each call: what stands in for it later is heeded.
export const api = createClient<paths>({
  baseUrl: "/api/v1",
  headers: { "Accept-Language": accepted() },
  fetch: (request) => window.fetch(request),
});

/** What the service answered when something went wrong. */
export class Refused extends Error {
  constructor(readonly details: Details) {
    super(details.detail);
  }
  get status() {
    return this.details.status;
  }
  get problems() {
    return this.details.problems ?? [];
  }
}

/** No service answered: what was typed is still only here. */
export class Unreachable extends Error {
  constructor(why = t`The service does not answer.`) {
    super(t`${why} Nothing is lost: try again in a moment.`);
  }
}

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** Gives a call's data, or throws what went wrong with it. */
export async function answered<T>(call: Promise<Answer<T>>): Promise<T> {
  return (await answeredWith(call)).data;
}

/** Is answered, with the ETag that a later save must name. */
export async function answeredWith<T>(call: Promise<Answer<T>>): Promise<{ data: T; etag: string }> {
  let answer: Answer<T>;
  try {
    answer = await call;
  } catch {
    throw new Unreachable();
  }
  if (!answer.response.ok) throw refusal(answer);
  return { data: answer.data as T, etag: answer.response.headers.get("ETag") ?? "" };
}

function refusal({ error, response }: Answer<unknown>): Error {
  const details = error as Partial<Details> | undefined;
  if (response.status === 503 && details?.type !== "/problems/unsure")
    return new Unreachable(t`The service is busy, and asks to wait.`);
  if (details?.detail && details.status) return new Refused(details as Details);
  return response.status >= 500 ? new Unreachable() : new Error(`The service answered ${response.status}.`);
}
