import { useAskAgain } from "../../api/asked";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Button, Card, Quiet, Tag, Trouble } from "../../ui/parts";
import { administrates } from "../../shell/places";
import { sayInstant } from "../../ui/say";
import { useWrite } from "../../shell/write";
import { different } from "./different";

type Changed = Schema["UpkeepChanged"];

const sorts: Record<Changed["part"], string> = {
  settings: "",
  numbers: "",
  network: "",
  branch: "Branch",
  station: "Station",
  class: "Class",
  choice: "List entry",
  staff: "Staff",
  partner: "Partner",
  run: "Courier",
};

/** Who has changed what of the network from what; and back again. */
export function Changes() {
  const list = usePages(["changes"], (after) =>
    told(api.GET("/api/network/changes", { params: { query: { after } } })),
  );
  return (
    <Card label="History">
      <Loading
        of={list}
        none={(rows) => rows.length === 0}
        empty="No changes yet. Changes of network settings appear here and can be undone."
      >
        {(rows) => (
          <>
            <ul className="divide-y divide-line">
              {rows.map((c) => (
                <One key={c.id} change={c} />
              ))}
            </ul>
            {list.pages.hasMore && (
              <p className="border-t border-line px-4 py-2 text-sm">
                <Quiet onClick={list.pages.fetchMore}>Show more</Quiet>
              </p>
            )}
          </>
        )}
      </Loading>
    </Card>
  );
}

function One({ change: c }: { change: Changed }) {
  const me = useMe();
  const askAgain = useAskAgain();
  const back = useWrite(
    (id: number, key) => api.POST("/api/network/changes/{id}/back", { params: { path: { id }, header: keyed(key) } }),
    {
      name: `take back ${c.id}`,
      about: `Undoing the change of ${c.name}`,
      done: () => askAgain(),
    },
  );
  const what = c.was === undefined ? "added" : c.is === undefined ? "removed" : "changed";
  return (
    <li className="grid gap-x-4 gap-y-1 px-4 py-2.5 md:grid-cols-[150px_minmax(0,1fr)_auto]">
      <span className="text-sm text-ink-2">{sayInstant(c.at)}</span>
      <div>
        <p className="flex flex-wrap items-baseline gap-x-2">
          <b className="font-semibold">
            {sorts[c.part]} {c.name}
          </b>
          <span className="text-ink-2">
            {what} by {c.who}
          </span>
          {c.takes_back && <Tag tone="plain">undoes a change</Tag>}
          {c.back && <Tag tone="plain">undone</Tag>}
        </p>
        <ul className="text-sm">
          {different(c.was, c.is).map((d) => (
            <li key={d.what}>
              {d.what}: <span className="text-ink-2">{d.was || "nothing"}</span> → {d.is || "nothing"}
            </li>
          ))}
        </ul>
        <Trouble error={back.problem} />
      </div>
      {c.may_go && administrates(me.role) && (
        <Button plain busy={back.busy} className="self-start" onClick={() => back.run(c.id)}>
          Undo
        </Button>
      )}
    </li>
  );
}
