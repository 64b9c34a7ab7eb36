import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { notKnown } from "./api/client";
import { clearInHand } from "./circulation/taken";
import { onForget, onLeave, openWindow } from "./shell/house";
import { openHouse } from "./shell/scans/house";
import { showTheme } from "./shell/settings";
import { clear as clearDesk, forgetPatron as leaveDesk } from "./places/desk/session";
import { clear as clearMissed } from "./places/fetch/missed";
import { clear as clearOutside, forgetPatron as leaveOutside } from "./places/interlibrary/session";
import { clear as clearItems, openItems } from "./places/items/session";
import { clearDrafts, dropDraft } from "./places/patrons/drafts";
import { clearHolds } from "./places/holds/cancel";
import { clear as clearReturns, forgetPatron as leaveReturns } from "./places/returns/session";
import { clear as clearRosters } from "./places/rosters/session";
import "./pages";
import { loadPlaces, router } from "./router";
import "./theme.css";

// Takers of scans are here from the beginning, whatever place has loaded.
openHouse({
  here: () => router.latestLocation.pathname,
  desk: () => void router.navigate({ to: "/desk", search: {} }),
  item: (item) => void router.navigate({ to: "/items", search: { item } }),
  titles: (words) => void router.navigate({ to: "/items", search: { words } }),
  patrons: (words) => void router.navigate({ to: "/patrons", search: { words } }),
});
for (const forget of [
  ...[clearDesk, clearReturns, clearInHand, clearDrafts, clearRosters, clearItems, clearHolds],
  ...[clearMissed, clearOutside],
])
  onForget(forget);
for (const leave of [leaveDesk, leaveReturns, leaveOutside, dropDraft]) onLeave(leave);
openItems((isbn) => void router.navigate({ to: "/items", search: { tab: "add", isbn } }));
openWindow();
showTheme();

/** How often a question is asked again that the server cannot answer now: for about ten seconds. */
const mostTries = 6;

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      // A question is asked again while the line is away, a few times while the server cannot answer, and never where it was
      // refused.
      retry: (tries, e) => notKnown(e) && (e.status !== 503 || tries < mostTries),
      retryDelay: (tries) => Math.min(400 * 2 ** tries, 3000),
      networkMode: "always",
      staleTime: 2000,
    },
  },
});

const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </StrictMode>,
  );

loadPlaces();
