import { createRootRoute, createRoute, createRouter, lazyRouteComponent } from "@tanstack/react-router";
import { Frame } from "./shell/frame";
import { Button, Code, Skeleton } from "./ui/parts";

/** The places and their addresses. Each is a chunk of its own, loaded ahead as soon as the first one is there. */

const root = createRootRoute({ component: Frame });
const text = (v: unknown) => (typeof v === "string" && v !== "" ? v : undefined);
const number = (v: unknown) => (v === undefined || Number.isNaN(Number(v)) ? undefined : Number(v));

type Search = Record<string, unknown>;

const today = lazyRouteComponent(() => import("./places/today/Today"), "TodayPlace");
const desk = lazyRouteComponent(() => import("./places/desk/Desk"), "DeskPlace");
const returns = lazyRouteComponent(() => import("./places/returns/Returns"), "ReturnsPlace");
const rosters = lazyRouteComponent(() => import("./places/rosters/Rosters"), "RostersPlace");
const patrons = lazyRouteComponent(() => import("./places/patrons/Patrons"), "PatronsPlace");
const money = lazyRouteComponent(() => import("./places/money/Money"), "MoneyPlace");
const holds = lazyRouteComponent(() => import("./places/holds/Holds"), "HoldsPlace");
const fetch = lazyRouteComponent(() => import("./places/fetch/Fetch"), "FetchPlace");
const courier = lazyRouteComponent(() => import("./places/courier/Courier"), "CourierPlace");
const interlibrary = lazyRouteComponent(() => import("./places/interlibrary/Interlibrary"), "InterlibraryPlace");
const notices = lazyRouteComponent(() => import("./places/notices/Notices"), "NoticesPlace");
const rulebook = lazyRouteComponent(() => import("./places/rulebook/Rulebook"), "RulebookPlace");
const changes = lazyRouteComponent(() => import("./places/changes/Changes"), "ChangesPlace");
const calendars = lazyRouteComponent(() => import("./places/calendars/Calendars"), "CalendarsPlace");
const network = lazyRouteComponent(() => import("./places/network/Network"), "NetworkPlace");
const own = lazyRouteComponent(() => import("./places/own/Own"), "OwnPlace");
const help = lazyRouteComponent(() => import("./places/help/Help"), "HelpPlace");
const items = lazyRouteComponent(() => import("./places/items/Items"), "ItemsPlace");

const places = [
  today,
  desk,
  returns,
  patrons,
  rosters,
  money,
  holds,
  fetch,
  courier,
  interlibrary,
  notices,
  rulebook,
  calendars,
  changes,
  items,
  network,
  own,
  help,
];

/** Loads all places ahead, the ones that scan first. */
export function loadPlaces() {
  const ahead = async () => {
    for (const place of [desk, returns, fetch, ...places]) await place.preload?.();
  };
  window.setTimeout(() => void ahead().catch(() => {}), 300);
}

const at = { getParentRoute: () => root };

const routes = [
  createRoute({ ...at, path: "/", component: today }),
  createRoute({ ...at, path: "/desk", component: desk }),
  createRoute({ ...at, path: "/returns", component: returns }),
  createRoute({
    ...at,
    path: "/patrons",
    component: patrons,
    validateSearch: (
      s: Search,
    ): {
      words?: string;
      patron?: number;
      form?: "new" | "change";
      household?: number;
      tab?: "sign-ups";
      signup?: number;
      group?: string;
    } => ({
      tab: s.tab === "sign-ups" ? s.tab : undefined,
      signup: number(s.signup),
      group: text(s.group),
      words: text(s.words),
      patron: number(s.patron),
      form: s.form === "new" || s.form === "change" ? s.form : undefined,
      household: number(s.household),
    }),
  }),
  createRoute({
    ...at,
    path: "/rosters",
    component: rosters,
    validateSearch: (s: Search): { tab?: string; roster?: number } => ({ tab: text(s.tab), roster: number(s.roster) }),
  }),
  createRoute({
    ...at,
    path: "/money",
    component: money,
    validateSearch: (s: Search): { tab?: string; receipt?: number; patron?: number; invoice?: number } => ({
      tab: text(s.tab),
      receipt: number(s.receipt),
      patron: number(s.patron),
      invoice: number(s.invoice),
    }),
  }),
  createRoute({
    ...at,
    path: "/holds",
    component: holds,
    validateSearch: (s: Search): { tab?: string; title?: number; patron?: number; roster?: number; item?: number } => ({
      tab: text(s.tab),
      title: number(s.title),
      patron: number(s.patron),
      roster: number(s.roster),
      item: number(s.item),
    }),
  }),
  createRoute({ ...at, path: "/fetch", component: fetch }),
  createRoute({
    ...at,
    path: "/courier",
    component: courier,
    validateSearch: (s: Search): { tab?: string; date?: string; tote?: number } => ({
      tab: text(s.tab),
      date: text(s.date),
      tote: number(s.tote),
    }),
  }),
  createRoute({
    ...at,
    path: "/interlibrary",
    component: interlibrary,
    validateSearch: (
      s: Search,
    ): { tab?: string; request?: number; role?: string; partner?: number; branch?: string; words?: string } => ({
      tab: text(s.tab),
      request: number(s.request),
      role: s.role === "requesting" || s.role === "supplying" ? s.role : undefined,
      partner: number(s.partner),
      branch: text(s.branch),
      words: text(s.words),
    }),
  }),
  createRoute({
    ...at,
    path: "/notices",
    component: notices,
    validateSearch: (s: Search): { tab?: string } => ({ tab: text(s.tab) }),
  }),
  createRoute({
    ...at,
    path: "/rulebook",
    component: rulebook,
    validateSearch: (
      s: Search,
    ): { tab?: string; edition?: number; loan?: number; item?: number; patron?: number; rule?: string } => ({
      tab: text(s.tab),
      edition: number(s.edition),
      loan: number(s.loan),
      item: number(s.item),
      patron: number(s.patron),
      rule: text(s.rule),
    }),
  }),
  createRoute({
    ...at,
    path: "/calendars",
    component: calendars,
    validateSearch: (s: Search): { branch?: string; year?: number } => ({
      branch: text(s.branch),
      year: number(s.year),
    }),
  }),
  createRoute({
    ...at,
    path: "/changes",
    component: changes,
    validateSearch: (s: Search): { tab?: string } => ({ tab: text(s.tab) }),
  }),
  createRoute({
    ...at,
    path: "/network",
    component: network,
    validateSearch: (
      s: Search,
    ): { tab?: string; section?: string; patron?: number; staff?: number; file?: number } => ({
      section: text(s.section),
      tab: text(s.tab),
      file: number(s.file),
      patron: number(s.patron),
      staff: number(s.staff),
    }),
  }),
  createRoute({ ...at, path: "/own", component: own }),
  createRoute({
    ...at,
    path: "/help",
    component: help,
    validateSearch: (s: Search): { page?: string; section?: string } => ({
      page: text(s.page),
      section: text(s.section),
    }),
  }),
  // Setting a password by a link: the frame shows it, before anybody is signed in.
  createRoute({ ...at, path: "/enter", component: () => null }),
  createRoute({
    ...at,
    path: "/items",
    component: items,
    validateSearch: (
      s: Search,
    ): {
      tab?: string;
      words?: string;
      branch?: string;
      collection?: string;
      material?: string;
      from?: number;
      to?: number;
      title?: number;
      item?: number;
      code?: string;
      isbn?: string;
      shelf?: number;
    } => ({
      tab: text(s.tab),
      words: text(s.words),
      branch: text(s.branch),
      collection: text(s.collection),
      material: text(s.material),
      from: number(s.from),
      to: number(s.to),
      title: number(s.title),
      item: number(s.item),
      code: text(s.code),
      isbn: text(s.isbn),
      shelf: number(s.shelf),
    }),
  }),
];

export const router = createRouter({
  routeTree: root.addChildren(routes),
  parseSearch,
  stringifySearch,
  defaultErrorComponent: Broken,
  defaultPendingComponent: () => <Skeleton lines={10} />,
});

// What is shown where a place itself is broken: what was done is safe with the server.
function Broken({ error, reset }: { error: unknown; reset: () => void }) {
  return (
    <div className="grid max-w-xl gap-3 p-6">
      <h1 className="text-2xl font-semibold">This page cannot be shown</h1>
      <p>
        Your work is saved. Retry, or go to another page. If it happens again, tell the administrator:{" "}
        <Code>{error instanceof Error ? error.message : String(error)}</Code>
      </p>
      <Button
        className="justify-self-start"
        onClick={() => {
          reset();
          window.location.reload();
        }}
      >
        Retry
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
