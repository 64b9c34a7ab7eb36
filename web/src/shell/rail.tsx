import { useQuery } from "@tanstack/react-query";
import { Link, useRouterState } from "@tanstack/react-router";
import clsx from "clsx";
import { api, told, type Schema } from "../api/client";
import type { Me } from "./me";
import { groups, placesFor, type PlaceInfo } from "./places";

/** How much waits at this branch, place by place. */
function useCounts(me: Me): Record<string, Schema["TodayCount"] | undefined> {
  const today = useQuery({ queryKey: ["today", me.branch], queryFn: () => told(api.GET("/api/today")) });
  const requests = useQuery({
    queryKey: ["requests", "count"],
    enabled: placesFor(me.role).some((p) => p.path === "/interlibrary"),
    queryFn: () => told(api.GET("/api/interlibrary/count")),
  });
  const here = today.data?.find((r) => r.branch === me.branch);
  return {
    "/fetch": here?.fetch,
    "/holds": here && { all: here.ready.all + here.clear.all, late: here.clear.all },
    "/courier": here?.coming,
    "/interlibrary": { all: requests.data?.ours ?? 0, late: 0 },
  };
}

/** The places, in their groups, with what waits in each. */
export function Rail({ me, onGo }: { me: Me; onGo?: () => void }) {
  const path = useRouterState({ select: (s) => s.location.pathname });
  const counts = useCounts(me);
  return (
    <>
      <p className="flex h-[52px] flex-none items-center px-4 font-display text-[21px] font-semibold text-rail-head">
        nevrin
      </p>
      {groups.map((g) => {
        const places = g.places.filter((p) => !p.roles || p.roles.includes(me.role));
        if (places.length === 0) return null;
        return (
          <div key={g.name}>
            {g.name && <h2 className="mt-3.5 mb-1 px-4 text-xs font-medium text-rail-dim">{g.name}</h2>}
            {places.map((p) => (
              <To key={p.path} place={p} here={path === p.path} count={counts[p.path]} onGo={onGo} />
            ))}
          </div>
        );
      })}
    </>
  );
}

function To({
  place: p,
  here,
  count,
  onGo,
}: {
  place: PlaceInfo;
  here: boolean;
  count?: Schema["TodayCount"];
  onGo?: () => void;
}) {
  return (
    <Link
      to={p.path}
      search={{}}
      onClick={onGo}
      aria-current={here ? "page" : undefined}
      className={clsx(
        "flex items-center justify-between border-l-[3px] py-[5px] pr-2.5 pl-[13px]",
        here ? "border-brass bg-spruce-800 font-semibold text-white" : "border-transparent hover:bg-spruce-800",
      )}
    >
      {p.name}
      {!!count?.all && (
        <b
          title={count.late ? `${count.late} late` : undefined}
          className={clsx(
            "rounded-full px-[7px] text-xs leading-[18px] font-semibold text-white",
            count.late ? "bg-late" : "bg-rail-count",
          )}
        >
          {count.all}
          {count.late > 0 && <span className="sr-only">, {count.late} late</span>}
        </b>
      )}
    </Link>
  );
}
