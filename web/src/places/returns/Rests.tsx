import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { api, told } from "../../api/client";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Card } from "../../ui/parts";
import { isEmployed } from "../../shell/places";
import { sayMoney } from "../../ui/say";
import type { Line, Run } from "./session";

/** So many patrons of the run are told about, those of the newest lines. */
const toldAbout = 3;

/** “Have I returned everything? Does anything wait for me?” For those whose things came back last. */
export function Rests({ run, fresh }: { run: Run; fresh: Line[] }) {
  const me = useMe();
  const situation = me.counter[run.mode];
  if (!isEmployed(me.role) || (!situation.rest && !situation.waits)) return null;
  const patrons = [...new Set(fresh.flatMap((l) => (l.patron_id && !l.undone ? [l.patron_id] : [])))].slice(
    0,
    toldAbout,
  );
  return patrons.map((p) => (
    <Rest key={p} run={run.id} patron={p} rest={situation.rest} waits={situation.waits} lines={fresh.length} />
  ));
}

function Rest({
  run,
  patron,
  rest,
  waits,
  lines,
}: {
  run: number;
  patron: number;
  rest: boolean;
  waits: boolean;
  lines: number;
}) {
  const asked = useQuery({
    queryKey: ["rest", run, patron, lines],
    queryFn: () => told(api.GET("/api/returns/{id}/patrons/{patron}/rest", { params: { path: { id: run, patron } } })),
    placeholderData: (before) => before,
  });
  return (
    <Card label="Tell the patron" className="px-3.5 py-2.5">
      <Loading of={asked} lines={3}>
        {(r) => (
          <>
            <b className="font-semibold">{r.name}</b>
            {rest && (
              <p className={r.still.length > 0 ? "" : "text-spruce-700"}>
                {r.still.length === 0 ? "Everything is returned." : `Still has ${r.still.length}:`}
              </p>
            )}
            {rest && (
              <ul className="max-h-40 overflow-auto text-sm">
                {r.still.map((l) => (
                  <li key={l.loan_id} className={l.late ? "text-buoy-700" : "text-ink-2"}>
                    {l.title}, due {l.due}
                  </li>
                ))}
              </ul>
            )}
            {waits &&
              r.waits.map((h) => (
                <p key={h.id} className="font-semibold text-amber-700">
                  {h.here ? "Waits here: " : `Waits at ${h.pickup}: `}
                  {h.title}
                </p>
              ))}
            {rest && r.family.length > 0 && (
              <ul className="mt-1 text-sm text-ink-2">
                {r.family.map((m) => (
                  <li key={m.patron}>
                    <Link to="/patrons" search={{ patron: m.patron }} className="link">
                      {m.name}
                    </Link>
                    {m.late > 0 && `: ${m.late} late`}
                    {Number(m.owes) > 0 && `, owes ${sayMoney(m.owes)}`}
                  </li>
                ))}
              </ul>
            )}
          </>
        )}
      </Loading>
    </Card>
  );
}
