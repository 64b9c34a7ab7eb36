import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createRootRoute, createRoute, createRouter, RouterProvider } from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { Frame } from "./kit/frame";
import { Button, Code } from "./kit/parts";
import { CalendarsPlace } from "./places/calendars/Calendars";
import { CourierPlace } from "./places/courier/Courier";
import { DeskPlace } from "./places/desk/Desk";
import { FetchPlace } from "./places/fetch/Fetch";
import { HoldsPlace } from "./places/holds/Holds";
import { InterlibraryPlace } from "./places/interlibrary/Interlibrary";
import { ItemsPlace } from "./places/items/Items";
import { NoticesPlace } from "./places/notices/Notices";
import { PatronsPlace } from "./places/patrons/Patrons";
import { ReturnsPlace } from "./places/returns/Returns";
import { RulebookPlace } from "./places/rulebook/Rulebook";
import { TodayPlace } from "./places/today/Today";
import "./theme.css";

const root = createRootRoute({ component: Frame });
const text = (v: unknown) => (v === undefined || v === "" ? undefined : String(v));
const number = (v: unknown) => (v === undefined || Number.isNaN(Number(v)) ? undefined : Number(v));

const routes = [
  createRoute({ getParentRoute: () => root, path: "/", component: TodayPlace }),
  createRoute({
    getParentRoute: () => root,
    path: "/desk",
    component: DeskPlace,
    validateSearch: (s: Record<string, unknown>): { scan?: string } => ({ scan: text(s.scan) }),
  }),
  createRoute({ getParentRoute: () => root, path: "/returns", component: ReturnsPlace }),
  createRoute({
    getParentRoute: () => root,
    path: "/patrons",
    component: PatronsPlace,
    validateSearch: (s: Record<string, unknown>): { words?: string; patron?: number } => ({
      words: text(s.words),
      patron: number(s.patron),
    }),
  }),
  createRoute({
    getParentRoute: () => root,
    path: "/holds",
    component: HoldsPlace,
    validateSearch: (s: Record<string, unknown>): { title?: number } => ({ title: number(s.title) }),
  }),
  createRoute({ getParentRoute: () => root, path: "/fetch", component: FetchPlace }),
  createRoute({ getParentRoute: () => root, path: "/courier", component: CourierPlace }),
  createRoute({ getParentRoute: () => root, path: "/interlibrary", component: InterlibraryPlace }),
  createRoute({ getParentRoute: () => root, path: "/notices", component: NoticesPlace }),
  createRoute({
    getParentRoute: () => root,
    path: "/rulebook",
    component: RulebookPlace,
    validateSearch: (
      s: Record<string, unknown>,
    ): {
      tab?: string;
      edition?: number;
      loan?: number;
      item?: number;
      patron?: number;
      rule?: string;
    } => ({
      tab: text(s.tab),
      edition: number(s.edition),
      loan: number(s.loan),
      item: number(s.item),
      patron: number(s.patron),
      rule: text(s.rule),
    }),
  }),
  createRoute({
    getParentRoute: () => root,
    path: "/calendars",
    component: CalendarsPlace,
    validateSearch: (s: Record<string, unknown>): { branch?: string; year?: number } => ({
      branch: text(s.branch),
      year: number(s.year),
    }),
  }),
  createRoute({
    getParentRoute: () => root,
    path: "/items",
    component: ItemsPlace,
    validateSearch: (s: Record<string, unknown>): { words?: string; title?: number; item?: number; code?: string } => ({
      words: text(s.words),
      title: number(s.title),
      item: number(s.item),
      code: text(s.code),
    }),
  }),
];

const router = createRouter({
  routeTree: root.addChildren(routes),
  parseSearch,
  stringifySearch,
  defaultErrorComponent: Broken,
});

// What is shown where a place itself is broken: what was done is safe with the server.
function Broken({ error, reset }: { error: unknown; reset: () => void }) {
  return (
    <div className="grid max-w-xl gap-3 p-6">
      <h1 className="text-2xl font-semibold">This place cannot be shown</h1>
      <p>
        What you did up to now is kept; only its picture is missing. Try again, or go to another place. If it happens
        again, tell the administrator this: <Code>{error instanceof Error ? error.message : String(error)}</Code>
      </p>
      <Button
        className="justify-self-start"
        onClick={() => {
          reset();
          window.location.reload();
        }}
      >
        Try again
      </Button>
    </div>
  );
}

// Plain query strings: numbers stay texts, so that a barcode is not made a number.
function parseSearch(search: string) {
  return Object.fromEntries(new URLSearchParams(search));
}
function stringifySearch(search: Record<string, unknown>) {
  const given = Object.entries(search).filter(([, v]) => v !== undefined && v !== "");
  const query = new URLSearchParams(given.map(([k, v]) => [k, String(v)])).toString();
  return query && `?${query}`;
}

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}

const queries = new QueryClient({
  defaultOptions: { queries: { retry: 2, refetchOnWindowFocus: true, staleTime: 2000 } },
});

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  </StrictMode>,
);
