import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, Outlet, useNavigate, useRouterState } from "@tanstack/react-router";
import clsx from "clsx";
import { DropdownMenu } from "radix-ui";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api, newKey, post, told, type Schema } from "../api/client";
import { SignIn } from "../places/signin/SignIn";
import { Keys, Palette, type Action } from "./palette";
import { Key } from "./parts";
import { groups, placesFor } from "./places";
import { sayInstant, sayIn } from "./say";
import { ScanLine, ScanProvider, useScanning } from "./scan";
import { soundsOn, switchSounds } from "./sound";
import { useMe } from "./me";
import { useWhy, WhyProvider } from "./why";

/** The frame of every place: rail, strip with the scan line, the place itself, drawer. */
export function Frame() {
  const me = useMe();
  if (me.data) sayIn(me.data.timezone);
  if (me.data && !me.data.signed_in) return <SignIn me={me.data} />;
  if (!me.data) return <Waiting failed={me.failureCount > 0} reason={me.failureReason?.message} />;
  return (
    <WhyProvider>
      <House me={me.data} lost={me.failureCount > 0} />
    </WhyProvider>
  );
}

function Waiting({ failed, reason }: { failed: boolean; reason?: string }) {
  return (
    <main className="mx-auto mt-24 max-w-lg px-4">
      <h1 className="font-display text-3xl font-bold">nevrin</h1>
      <p className="mt-3" role="status">
        {failed
          ? `${reason ?? "Nevrin cannot be reached."} This page goes on by itself as soon as it can.`
          : "One moment …"}
      </p>
    </main>
  );
}

function House({ me, lost }: { me: Schema["Me"]; lost: boolean }) {
  const navigate = useNavigate();
  const why = useWhy();
  const [palette, setPalette] = useState(false);
  const [keys, setKeys] = useState(false);
  const going = useRef(0);

  const fallback = useMemo(
    () => ({
      prompt: "Scan a card or an item, or type to find",
      onScan: (text: string) => {
        const digits = text.replace(/[ -]/g, "");
        if (/^2\d{12,13}$/.test(digits)) void navigate({ to: "/desk", search: { scan: digits } });
        else if (/^3\d{12,13}$/.test(digits)) void navigate({ to: "/items", search: { code: digits } });
        else void navigate({ to: "/items", search: { words: text } });
      },
    }),
    [navigate],
  );

  const onCommand = useCallback(
    (key: string) => {
      if (Date.now() - going.current < 2000) {
        going.current = 0;
        const place = placesFor(me.role).find((p) => p.key === key);
        if (place) void navigate({ to: place.path, search: {} });
        return !!place;
      }
      if (key === "g") going.current = Date.now();
      else if (key === "?") setKeys(true);
      else if (key === "w") document.querySelector<HTMLButtonElement>("main [data-why]")?.click();
      else return false;
      return true;
    },
    [me.role, navigate],
  );

  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "k") {
        e.preventDefault();
        setPalette(true);
      } else if (e.key === "Escape" && why.open) {
        e.stopPropagation();
        why.close();
      } else if (e.key === "/" && !(e.target instanceof HTMLInputElement || e.target instanceof HTMLTextAreaElement)) {
        e.preventDefault();
        document.querySelector<HTMLInputElement>("[aria-label='Scan line']")?.focus();
      }
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, [why]);

  const queries = useQueryClient();
  const actions: Action[] = useMemo(
    () => [
      ...placesFor(me.role).map((p) => ({
        name: `Go to ${p.name}`,
        hint: `g ${p.key}`,
        run: () => void navigate({ to: p.path, search: {} }),
      })),
      ...me.branches!.map((b) => ({
        name: `Work at ${b.name}`,
        run: () => void post("/api/branch", { Branch: b.code }).then(() => queries.invalidateQueries()),
      })),
      { name: soundsOn() ? "Switch sounds off" : "Switch sounds on", run: () => switchSounds(!soundsOn()) },
      { name: "Keys of this place", hint: "?", run: () => setKeys(true) },
      { name: "Sign out", run: () => void post("/api/sign-out", {}).then(() => queries.invalidateQueries()) },
    ],
    [me, navigate, queries],
  );

  return (
    <ScanProvider fallback={fallback} onCommand={onCommand}>
      <a href="#place" className="sr-only focus:not-sr-only">
        To the place
      </a>
      <div className="grid h-screen grid-cols-[176px_minmax(0,1fr)] grid-rows-[52px_minmax(0,1fr)] print:block print:h-auto">
        <Rail me={me} />
        <Strip me={me} lost={lost} />
        <main id="place" className="overflow-auto print:overflow-visible">
          {/* The room around a place is inside, so that heads of lists stick to the very top. */}
          <div className="px-[18px] py-4">
            <Outlet />
          </div>
        </main>
      </div>
      <Palette open={palette} onClose={() => setPalette(false)} actions={actions} />
      <Keys open={keys} onClose={() => setKeys(false)} role={me.role} />
    </ScanProvider>
  );
}

function Rail({ me }: { me: Schema["Me"] }) {
  const path = useRouterState({ select: (s) => s.location.pathname });
  const today = useQuery({
    queryKey: ["today", me.branch],
    queryFn: () => told(api.GET("/api/today")),
    refetchInterval: 30_000,
  });
  const requests = useQuery({
    queryKey: ["requests", "count"],
    enabled: placesFor(me.role).some((p) => p.path === "/interlibrary"),
    queryFn: () => told(api.GET("/api/interlibrary/count")),
    refetchInterval: 30_000,
  });
  const ours = requests.data?.ours ?? 0;
  const here = today.data?.find((r) => r.branch === me.branch);
  const counts: Record<string, Schema["TodayCount"] | undefined> = {
    "/fetch": here?.fetch,
    "/holds": here && { all: here.ready.all + here.clear.all, late: here.clear.all },
    "/courier": here?.coming,
    "/interlibrary": { all: ours, late: 0 },
  };
  return (
    <nav
      aria-label="Places"
      className="row-span-2 flex flex-col overflow-y-auto bg-spruce-900 pb-3 text-rail-ink print:hidden"
    >
      <div className="flex h-[52px] flex-none items-center px-4 font-display text-[21px] font-semibold text-[#fff8ea]">
        nevrin
      </div>
      {groups.map((g) => {
        const places = g.places.filter((p) => !p.roles || p.roles.includes(me.role));
        if (places.length === 0) return null;
        return (
          <div key={g.name}>
            {g.name && <h2 className="mt-3.5 mb-1 px-4 text-xs font-medium text-rail-dim">{g.name}</h2>}
            {places.map((p) => {
              const count = counts[p.path];
              return (
                <Link
                  key={p.path}
                  to={p.path}
                  search={{}}
                  aria-current={path === p.path ? "page" : undefined}
                  className={clsx(
                    "flex items-center justify-between border-l-[3px] py-[5px] pr-2.5 pl-[13px]",
                    path === p.path
                      ? "border-brass bg-spruce-800 font-semibold text-white"
                      : "border-transparent hover:bg-spruce-800",
                  )}
                >
                  {p.name}
                  {!!count?.all && (
                    <b
                      title={count.late ? `${count.late} late` : undefined}
                      className={clsx(
                        "rounded-full px-[7px] text-xs leading-[18px] font-semibold",
                        count.late ? "bg-buoy-700 text-white" : "bg-spruce-700 text-white",
                      )}
                    >
                      {count.all}
                    </b>
                  )}
                </Link>
              );
            })}
          </div>
        );
      })}
    </nav>
  );
}

function Strip({ me, lost }: { me: Schema["Me"]; lost: boolean }) {
  const branch = me.branches!.find((b) => b.code === me.branch);
  const { input } = useScanning();
  return (
    <header className="flex items-center gap-3.5 border-b border-line bg-surface px-[18px] print:hidden">
      <BranchMenu me={me} name={branch?.name ?? me.branch} />
      <ScanLine />
      {lost && (
        <span role="alert" className="rounded bg-buoy-100 px-2 text-sm text-buoy-700">
          Line lost, trying again
        </span>
      )}
      <button
        type="button"
        className="cursor-pointer text-ink-2"
        title="Back to the scan line"
        onClick={() => input.current?.focus()}
      >
        <Key>/</Key>
      </button>
      <PersonMenu me={me} />
    </header>
  );
}

const menuLook =
  "z-30 max-h-[80vh] min-w-52 overflow-auto rounded-card border border-line-strong bg-surface p-1 shadow-lg";
const menuItem = "cursor-pointer rounded px-3 py-1.5 outline-none data-[highlighted]:bg-spruce-100";

function BranchMenu({ me, name }: { me: Schema["Me"]; name: string }) {
  const queries = useQueryClient();
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="cursor-pointer text-left" aria-label={`Branch ${name}, ${sayInstant(me.now)}`}>
        <span className="block font-semibold">{name}</span>
        <span className="-mt-0.5 block text-xs text-ink-2">{sayInstant(me.now)}</span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className={menuLook} align="start">
          <DropdownMenu.Label className="px-3 py-1 text-xs text-ink-2">Work at</DropdownMenu.Label>
          {me.branches!.map((b) => (
            <DropdownMenu.Item
              key={b.code}
              className={menuItem}
              onSelect={() => void post("/api/branch", { Branch: b.code }).then(() => queries.invalidateQueries())}
            >
              {b.name}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function PersonMenu({ me }: { me: Schema["Me"] }) {
  const queries = useQueryClient();
  const letters = me.name
    .split(" ")
    .map((w) => w[0])
    .join("")
    .slice(0, 2);
  const forward = (days: number, minutes: number) =>
    void told(api.POST("/api/clock", { params: { header: newKey() }, body: { days, minutes } })).then(() =>
      queries.invalidateQueries(),
    );
  const supervising = me.role === "supervisor" || me.role === "administrator";
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label={`${me.name}, ${me.role}`}
        className="grid size-[30px] cursor-pointer place-items-center rounded-full bg-sunk text-[13px] font-semibold text-ink-2"
      >
        {letters}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className={menuLook} align="end">
          <DropdownMenu.Label className="px-3 py-1 text-sm text-ink-2">
            {me.name}, {me.role}
          </DropdownMenu.Label>
          {me.training && supervising && (
            <>
              <DropdownMenu.Separator className="my-1 h-px bg-line" />
              <DropdownMenu.Label className="px-3 py-1 text-xs text-ink-2">Training clock</DropdownMenu.Label>
              <DropdownMenu.Item className={menuItem} onSelect={() => forward(0, 60)}>
                One hour on
              </DropdownMenu.Item>
              <DropdownMenu.Item className={menuItem} onSelect={() => forward(1, 0)}>
                One day on
              </DropdownMenu.Item>
              <DropdownMenu.Item className={menuItem} onSelect={() => forward(7, 0)}>
                A week on
              </DropdownMenu.Item>
            </>
          )}
          {me.mailbox && (
            <DropdownMenu.Item className={menuItem} onSelect={() => window.open(me.mailbox, "_blank")}>
              Open the demo's mailbox
            </DropdownMenu.Item>
          )}
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item className={menuItem} onSelect={() => switchSounds(!soundsOn())}>
            {soundsOn() ? "Switch sounds off" : "Switch sounds on"}
          </DropdownMenu.Item>
          <DropdownMenu.Item
            className={menuItem}
            onSelect={() => void post("/api/sign-out", {}).then(() => queries.invalidateQueries())}
          >
            Sign out
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
