import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, keyed, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { Button, Card, Field, inputLook, Tag, Trouble } from "../../ui/parts";
import { surely } from "../../shell/surely";
import { useWrite } from "../../shell/write";
import type { Roster } from "./roster";

type Ended = Schema["RostersEnded"];

/** A school year ends: what becomes of each class is looked at before it is done. */
export function MoveUp({
  rosters,
  onLeave,
  onDone,
}: {
  rosters: Roster[];
  onLeave: () => void;
  onDone: (e: Ended) => void;
}) {
  const [last, setLast] = useState("");
  const ids = rosters.map((r) => r.id);
  const looked = useQuery({
    queryKey: ["move up", ids, last],
    staleTime: 0,
    enabled: ids.length > 0,
    queryFn: () =>
      surely((key) =>
        api.POST("/api/rosters-moved-up", {
          params: { header: keyed(key) },
          body: { rosters: ids, last, try: true },
        }),
      ),
  });
  const move = useWrite(
    (_: undefined, key) =>
      api.POST("/api/rosters-moved-up", {
        params: { header: keyed(key) },
        body: { rosters: ids, last, try: false },
      }),
    { name: "move rosters up", about: "Moving classes up", done: onDone },
  );
  const years = [...new Set(rosters.map((r) => r.school_year).filter(Boolean))].sort((a, b) =>
    a.localeCompare(b, "en", { numeric: true }),
  );
  return (
    <Card label="Move classes up" className="grid gap-3 p-3.5">
      <h2 className="font-semibold">Move classes up a year</h2>
      {ids.length === 0 ? (
        <p>Only school classes move up. None is selected.</p>
      ) : (
        <>
          <Field label="Dissolve classes of school year">
            <select className={inputLook} value={last} onChange={(e) => setLast(e.target.value)}>
              <option value="">none</option>
              {years.map((y) => (
                <option key={y}>{y}</option>
              ))}
            </select>
          </Field>
          <Loading of={looked} lines={3}>
            {(e) => (
              <ul className="grid gap-1">
                {e.rosters.map((r) => (
                  <li key={r.id} className="flex flex-wrap items-baseline gap-x-2">
                    <b className="font-semibold">{r.was}</b>
                    {r.says ? (
                      <>
                        <Tag tone="amber">stays</Tag> {r.says}
                      </>
                    ) : r.dissolved ? (
                      <Tag tone="buoy">dissolved</Tag>
                    ) : (
                      <>
                        becomes <b className="font-semibold">{r.is}</b>, school year {r.year}
                      </>
                    )}
                  </li>
                ))}
              </ul>
            )}
          </Loading>
        </>
      )}
      <Trouble error={move.problem} />
      <span className="flex gap-2">
        <Button
          busy={move.busy}
          disabled={!looked.data || looked.data.rosters.every((r) => r.says !== "")}
          onClick={() => move.run(undefined)}
        >
          Apply
        </Button>
        <Button plain onClick={onLeave}>
          Cancel
        </Button>
      </span>
    </Card>
  );
}
