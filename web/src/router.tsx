import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { QueryClient } from "@tanstack/react-query";
import {
  createRootRoute,
  createRoute,
  createRouter,
  lazyRouteComponent,
  Link,
  Outlet,
  redirect,
} from "@tanstack/react-router";
import { readSession, readWelcome, type Narrowing } from "./data/hooks";
import { setZone } from "./data/times";
import { Empty, Trouble } from "./parts/basics";

/** The pages by their addresses. Each is loaded when it is needed. */
export function makeRouter(cache: QueryClient) {
  const welcome = async () => {
    const all = await cache.ensureQueryData({ queryKey: ["welcome"], queryFn: readWelcome });
    setZone(all.zone);
    return all;
  };
  const session = async () => {
    const known = cache.getQueryData(["session"]);
    if (known || !(await welcome()).signed_in) return known ?? null;
    return cache.ensureQueryData({ queryKey: ["session"], queryFn: readSession });
  };

  const root = createRootRoute({
    component: Outlet,
    notFoundComponent: Nowhere,
    errorComponent: ({ error }) => (
      <div className="p-8">
        <Trouble error={error} title={t`This page could not be shown`} />
      </div>
    ),
  });
  const outside = { getParentRoute: () => root };
  const signIn = createRoute({
    ...outside,
    path: "/sign-in",
    beforeLoad: async () => {
      if ((await welcome()).setup) throw redirect({ to: "/setup" });
    },
    component: lazyRouteComponent(() => import("./pages/signin/signin"), "SignIn"),
  });
  const setup = createRoute({
    ...outside,
    path: "/setup",
    beforeLoad: async () => {
      if (!(await welcome()).setup && !(await session())) throw redirect({ to: "/sign-in" });
    },
    component: lazyRouteComponent(() => import("./pages/setup/setup"), "Setup"),
  });
  const setPassword = createRoute({
    ...outside,
    path: "/set-password",
    component: lazyRouteComponent(() => import("./pages/signin/setpassword"), "SetPassword"),
  });
  const inside = createRoute({
    getParentRoute: () => root,
    id: "inside",
    beforeLoad: async () => {
      if ((await welcome()).setup) throw redirect({ to: "/setup" });
      if (!(await session())) throw redirect({ to: "/sign-in" });
    },
    component: lazyRouteComponent(() => import("./parts/frame"), "Frame"),
  });

  const page = { getParentRoute: () => inside };
  const shelf = createRoute({
    ...page,
    path: "/",
    validateSearch: (search: Record<string, unknown>) => search as Narrowing,
    component: lazyRouteComponent(() => import("./pages/shelf/shelf"), "Shelf"),
  });
  const entry = createRoute({
    ...page,
    path: "/entries/$slug",
    validateSearch: (search: Record<string, unknown>) => search as { base?: string },
    component: lazyRouteComponent(() => import("./pages/entry/entry"), "Entry"),
  });
  const merge = createRoute({
    ...page,
    path: "/entries/$slug/origin",
    component: lazyRouteComponent(() => import("./pages/entry/merge"), "Merge"),
  });
  const voice = createRoute({
    ...page,
    path: "/entries/$slug/voice",
    component: lazyRouteComponent(() => import("./pages/entry/voice"), "VoicePage"),
  });
  const section = createRoute({
    ...page,
    path: "/sections/$name",
    component: lazyRouteComponent(() => import("./pages/shelf/section"), "SectionPage"),
  });
  const best = createRoute({
    ...page,
    path: "/best",
    component: lazyRouteComponent(() => import("./pages/shelf/best"), "Best"),
  });
  const desk = createRoute({
    ...page,
    path: "/desk",
    component: lazyRouteComponent(() => import("./pages/desk/desk"), "Desk"),
  });
  const account = createRoute({
    ...page,
    path: "/account",
    component: lazyRouteComponent(() => import("./pages/account/account"), "AccountPage"),
  });
  const talks = createRoute({
    ...page,
    path: "/talks",
    component: lazyRouteComponent(() => import("./pages/talks/talks"), "TalksPage"),
  });
  const talk = createRoute({
    ...page,
    path: "/talks/$id",
    component: lazyRouteComponent(() => import("./pages/talks/talks"), "TalkPage"),
  });
  const runs = createRoute({
    ...page,
    path: "/runs",
    component: lazyRouteComponent(() => import("./pages/runs/runs"), "RunsPage"),
  });
  const run = createRoute({
    ...page,
    path: "/runs/$id",
    component: lazyRouteComponent(() => import("./pages/runs/run"), "RunPage"),
  });
  const entryTrials = createRoute({
    ...page,
    path: "/entries/$slug/trials",
    component: lazyRouteComponent(() => import("./pages/trials/entrytrials"), "EntryTrials"),
  });
  const trial = createRoute({
    ...page,
    path: "/trials/$id",
    component: lazyRouteComponent(() => import("./pages/trials/trial"), "TrialPage"),
  });
  const compare = createRoute({
    ...page,
    path: "/trials/$id/compare",
    component: lazyRouteComponent(() => import("./pages/trials/compare"), "Compare"),
  });
  const create = createRoute({
    ...page,
    path: "/new",
    validateSearch: (search: Record<string, unknown>) => search as { section?: string; title?: string },
    component: lazyRouteComponent(() => import("./pages/editor/newentry"), "New"),
  });
  const edit = createRoute({
    ...page,
    path: "/entries/$slug/edit",
    component: lazyRouteComponent(() => import("./pages/editor/editor"), "Editor"),
  });
  const review = createRoute({
    ...page,
    path: "/entries/$slug/review",
    component: lazyRouteComponent(() => import("./pages/review/review"), "Review"),
  });

  const stocktake = createRoute({
    ...page,
    path: "/stocktake",
    component: lazyRouteComponent(() => import("./pages/stocktake/stocktake"), "Stocktake"),
  });
  const counted = { getParentRoute: () => stocktake };
  const stocktakeStart = createRoute({
    ...counted,
    path: "/",
    beforeLoad: () => {
      throw redirect({ to: "/stocktake/figures" });
    },
  });
  const figuresTaken = createRoute({
    ...counted,
    path: "/figures",
    component: lazyRouteComponent(() => import("./pages/stocktake/figures"), "FiguresPage"),
  });
  const useTaken = createRoute({
    ...counted,
    path: "/use",
    component: lazyRouteComponent(() => import("./pages/stocktake/use"), "UsePage"),
  });
  const freshnessTaken = createRoute({
    ...counted,
    path: "/freshness",
    component: lazyRouteComponent(() => import("./pages/stocktake/freshness"), "FreshnessPage"),
  });
  const contributorsTaken = createRoute({
    ...counted,
    path: "/contributors",
    component: lazyRouteComponent(() => import("./pages/stocktake/contributors"), "ContributorsPage"),
  });
  const qualityTaken = createRoute({
    ...counted,
    path: "/quality",
    component: lazyRouteComponent(() => import("./pages/stocktake/quality"), "QualityPage"),
  });
  const reportTaken = createRoute({
    ...counted,
    path: "/report",
    validateSearch: (s: Record<string, unknown>): { since?: string; until?: string } => ({
      since: typeof s.since === "string" ? s.since : undefined,
      until: typeof s.until === "string" ? s.until : undefined,
    }),
    component: lazyRouteComponent(() => import("./pages/stocktake/report"), "ReportPage"),
  });
  const costsTaken = createRoute({
    ...counted,
    path: "/costs",
    component: lazyRouteComponent(() => import("./pages/stocktake/costs"), "CostsPage"),
  });
  const departments = createRoute({
    ...counted,
    path: "/departments",
    component: lazyRouteComponent(() => import("./pages/stocktake/departments"), "DepartmentsPage"),
  });
  const similar = createRoute({
    ...counted,
    path: "/similar",
    component: lazyRouteComponent(() => import("./pages/stocktake/similar"), "SimilarPage"),
  });
  const tried = createRoute({
    ...counted,
    path: "/trials",
    component: lazyRouteComponent(() => import("./pages/stocktake/trials"), "TrialsPage"),
  });
  const imports = createRoute({
    ...counted,
    path: "/import",
    component: lazyRouteComponent(() => import("./pages/stocktake/import"), "ImportPage"),
  });
  const record = createRoute({
    ...counted,
    path: "/record",
    component: lazyRouteComponent(() => import("./pages/stocktake/record"), "RecordPage"),
  });

  const settings = createRoute({
    ...page,
    path: "/settings",
    component: lazyRouteComponent(() => import("./pages/settings/settings"), "Settings"),
  });
  const setting = { getParentRoute: () => settings };
  const settingsStart = createRoute({
    ...setting,
    path: "/",
    beforeLoad: () => {
      throw redirect({ to: "/settings/labels" });
    },
  });
  const labels = createRoute({
    ...setting,
    path: "/labels",
    component: lazyRouteComponent(() => import("./pages/settings/labels"), "LabelsPage"),
  });
  const synonyms = createRoute({
    ...setting,
    path: "/synonyms",
    validateSearch: (search: Record<string, unknown>) => search as { means?: string },
    component: lazyRouteComponent(() => import("./pages/settings/synonyms"), "SynonymsPage"),
  });
  const sections = createRoute({
    ...setting,
    path: "/sections",
    component: lazyRouteComponent(() => import("./pages/settings/sections"), "SectionsPage"),
  });
  const sets = createRoute({
    ...setting,
    path: "/sets",
    component: lazyRouteComponent(() => import("./pages/settings/sets"), "SetsPage"),
  });
  const register = createRoute({
    ...setting,
    path: "/register",
    component: lazyRouteComponent(() => import("./pages/settings/register"), "RegisterPage"),
  });
  const layouts = createRoute({
    ...setting,
    path: "/layouts",
    validateSearch: (search: Record<string, unknown>) => search as { of?: string },
    component: lazyRouteComponent(() => import("./pages/settings/layouts"), "LayoutsPage"),
  });
  const connections = createRoute({
    ...setting,
    path: "/connections",
    component: lazyRouteComponent(() => import("./pages/settings/connections"), "ConnectionsPage"),
  });
  const allowances = createRoute({
    ...setting,
    path: "/allowances",
    component: lazyRouteComponent(() => import("./pages/settings/allowances"), "AllowancesPage"),
  });
  const signOn = createRoute({
    ...setting,
    path: "/sign-on",
    component: lazyRouteComponent(() => import("./pages/settings/signon"), "SignOnPage"),
  });
  const keys = createRoute({
    ...setting,
    path: "/keys",
    component: lazyRouteComponent(() => import("./pages/settings/keys"), "KeysPage"),
  });
  const people = createRoute({
    ...setting,
    path: "/people",
    component: lazyRouteComponent(() => import("./pages/settings/people"), "PeoplePage"),
  });
  const policy = createRoute({
    ...setting,
    path: "/policy",
    component: lazyRouteComponent(() => import("./pages/settings/policy"), "PolicyPage"),
  });
  const channels = createRoute({
    ...setting,
    path: "/channels",
    component: lazyRouteComponent(() => import("./pages/settings/channels"), "ChannelsPage"),
  });
  const library = createRoute({
    ...setting,
    path: "/library",
    component: lazyRouteComponent(() => import("./pages/settings/library"), "LibraryPage"),
  });

  const rooms = [
    stocktake.addChildren([
      stocktakeStart,
      figuresTaken,
      useTaken,
      freshnessTaken,
      contributorsTaken,
      qualityTaken,
      costsTaken,
      reportTaken,
      departments,
      similar,
      tried,
      imports,
      record,
    ]),
    settings.addChildren([
      settingsStart,
      labels,
      sections,
      synonyms,
      sets,
      register,
      layouts,
      connections,
      allowances,
      keys,
      signOn,
      people,
      policy,
      channels,
      library,
    ]),
  ];
  const pages = [
    shelf,
    entry,
    merge,
    voice,
    section,
    best,
    desk,
    account,
    talks,
    talk,
    runs,
    run,
    entryTrials,
    trial,
    compare,
    create,
    edit,
    review,
    ...rooms,
  ];
  return createRouter({
    routeTree: root.addChildren([signIn, setup, setPassword, inside.addChildren(pages)]),
    scrollRestoration: true,
    parseSearch,
    stringifySearch,
  });
}

/** An address's query as it is typed: every value is a text, and a name that stands twice a list. */
function parseSearch(query: string): Record<string, string | string[]> {
  const all = new URLSearchParams(query);
  return Object.fromEntries(
    [...new Set(all.keys())].map((name) => {
      const values = all.getAll(name);
      return [name, values.length > 1 ? values : (values[0] ?? "")];
    }),
  );
}

function stringifySearch(search: Record<string, unknown>): string {
  const all = new URLSearchParams();
  for (const [name, value] of Object.entries(search)) {
    const values = (Array.isArray(value) ? value : [value]) as unknown[];
    for (const v of values) if (v !== undefined && v !== null) all.append(name, String(v));
  }
  const query = all.toString();
  return query && `?${query}`;
}

function Nowhere() {
  return (
    <main className="mx-auto max-w-[760px] p-8">
      <Empty page title={t`There is no such page`}>
        <Link to="/" className="font-semibold text-gold hover:underline">
          <Trans>Go to the shelf</Trans>
        </Link>
      </Empty>
    </main>
  );
}

declare module "@tanstack/react-router" {
  interface Register {
    router: ReturnType<typeof makeRouter>;
  }
}
