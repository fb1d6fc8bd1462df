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
import { answered, api, Refused } from "./data/api";
import type { Session } from "./data/api";
import type { Narrowing } from "./data/hooks";
import { Empty, Trouble } from "./parts/basics";
import { Frame } from "./parts/frame";
import { Entry } from "./pages/entry/entry";
import { Shelf } from "./pages/shelf/shelf";
import { SignIn } from "./pages/signin/signin";

/** The pages by their addresses. What makers need is loaded when they need it. */
export function makeRouter(cache: QueryClient) {
  const root = createRootRoute({
    component: Outlet,
    notFoundComponent: Nowhere,
    errorComponent: ({ error }) => (
      <div className="p-8">
        <Trouble error={error} title="This page could not be shown" />
      </div>
    ),
  });
  const signIn = createRoute({ getParentRoute: () => root, path: "/sign-in", component: SignIn });
  const inside = createRoute({
    getParentRoute: () => root,
    id: "inside",
    component: Frame,
    beforeLoad: async () => {
      if (!(await cache.ensureQueryData({ queryKey: ["session"], queryFn: session })))
        throw redirect({ to: "/sign-in" });
    },
  });
  const page = { getParentRoute: () => inside };
  const shelf = createRoute({
    ...page,
    path: "/",
    validateSearch: (search: Record<string, unknown>) => search as Narrowing,
    component: Shelf,
  });
  const entry = createRoute({ ...page, path: "/entries/$slug", component: Entry });
  const desk = createRoute({
    ...page,
    path: "/desk",
    component: lazyRouteComponent(() => import("./pages/desk/desk"), "Desk"),
  });
  const fresh = createRoute({
    ...page,
    path: "/new",
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
  const settings = createRoute({
    ...page,
    path: "/settings",
    component: lazyRouteComponent(() => import("./pages/settings/settings"), "Settings"),
  });
  const setting = { getParentRoute: () => settings };
  const policy = createRoute({
    ...setting,
    path: "/policy",
    component: lazyRouteComponent(() => import("./pages/settings/policy"), "PolicyPage"),
  });
  const gather = createRoute({
    ...setting,
    path: "/import",
    component: lazyRouteComponent(() => import("./pages/settings/import"), "ImportPage"),
  });
  const alike = createRoute({
    ...setting,
    path: "/alike",
    component: lazyRouteComponent(() => import("./pages/settings/alike"), "AlikePage"),
  });
  const people = createRoute({
    ...setting,
    path: "/people",
    component: lazyRouteComponent(() => import("./pages/settings/people"), "PeoplePage"),
  });
  const channels = createRoute({
    ...setting,
    path: "/channels",
    component: lazyRouteComponent(() => import("./pages/settings/channels"), "ChannelsPage"),
  });
  const audit = createRoute({
    ...setting,
    path: "/audit",
    component: lazyRouteComponent(() => import("./pages/settings/audit"), "AuditPage"),
  });
  const rooms = settings.addChildren([policy, people, gather, alike, channels, audit]);
  const pages = [shelf, entry, desk, fresh, edit, review, rooms];
  return createRouter({
    routeTree: root.addChildren([signIn, inside.addChildren(pages)]),
    scrollRestoration: true,
  });
}

async function session(): Promise<Session | null> {
  try {
    return await answered(api.GET("/session"));
  } catch (e) {
    if (e instanceof Refused && e.status === 401) return null;
    throw e;
  }
}

function Nowhere() {
  return (
    <main className="mx-auto max-w-[760px] p-8">
      <Empty page title="There is no such page">
        <Link to="/" className="font-semibold text-gold hover:underline">
          Go to the shelf
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
