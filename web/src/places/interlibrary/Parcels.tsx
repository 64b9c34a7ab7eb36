import { Link } from "@tanstack/react-router";
import { useAskAgain } from "../../api/asked";
import { api, keyed, told, type Schema } from "../../api/client";
import { useMe } from "../../shell/me";
import { paper } from "../../shell/settings";
import { useWrite } from "../../shell/write";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Button, Card, Code, Trouble } from "../../ui/parts";
import { sayCount } from "../../ui/say";
import { Move } from "./Move";

type Request = Schema["InterlibraryRequest"];

const printed = (rows: Request[]) =>
  `/api/interlibrary/papers.pdf?${new URLSearchParams({
    ids: rows.map((r) => r.id).join(","),
    paper: paper() === "letter" ? "letter" : "a4",
  }).toString()}`;

/** What is packed here and has not left: the day's parcels, by partner. */
export function Parcels() {
  const { branch } = useMe();
  const askAgain = useAskAgain();
  const list = usePages(["requests", "packed", branch], (after) =>
    told(api.GET("/api/interlibrary", { params: { query: { after, most: 1000, group: "packed", branch } } })),
  );
  const leave = useWrite(
    (rows: Request[], key) =>
      api.POST("/api/interlibrary/handed-over", {
        params: { header: keyed(key) },
        body: { requests: rows.map((r) => r.id) },
      }),
    {
      name: "hand over parcels",
      about: (rows) => `Handing over ${sayCount(rows.length, "item", "items")}`,
      done: () => askAgain("requests"),
    },
  );
  return (
    <Loading
      of={list}
      none={(rows) => rows.length === 0}
      empty="Nothing is packed. Scan an item to pack it: our copy for a partner, or a partner’s item that goes home."
    >
      {(rows) => (
        <div className="grid gap-3">
          <div className="flex flex-wrap items-center gap-3">
            <p className="text-ink-2">
              {sayCount(rows.length, "item is", "items are")} packed for{" "}
              {sayCount(byPartner(rows).length, "partner", "partners")}.
            </p>
            <a className="link ml-auto" href={printed(rows)} target="_blank" rel="noreferrer">
              Print all papers
            </a>
            <Button busy={leave.busy} onClick={() => leave.run(rows)}>
              Hand over all
            </Button>
          </div>
          <Trouble error={leave.problem} />
          {byPartner(rows).map(([partner, of]) => (
            <Card key={partner} label={partner} className="p-3">
              <div className="flex flex-wrap items-center gap-3">
                <h2 className="font-semibold">{partner}</h2>
                <span className="text-sm text-ink-2">{sayCount(of.length, "item", "items")}</span>
                <a className="link ml-auto text-sm" href={printed(of)} target="_blank" rel="noreferrer">
                  Print papers
                </a>
                <Button plain small busy={leave.busy} onClick={() => leave.run(of)}>
                  Hand over
                </Button>
              </div>
              <ul className="divide-y divide-line">
                {of.map((r) => (
                  <li key={r.id} className="flex flex-wrap items-center gap-x-3 py-1.5">
                    <span>
                      <Link to="/interlibrary" search={{ request: r.id }} className="font-semibold hover:underline">
                        {r.title}
                      </Link>
                      <span className="block text-sm text-ink-2">
                        {r.role === "supplying" ? `lent to them${r.due && `, due ${r.due}`}` : "goes home"}, {r.number},{" "}
                        <Code>{r.barcode}</Code>
                      </span>
                    </span>
                    <span className="ml-auto">
                      <Move request={{ ...r, next: "" }} />
                    </span>
                  </li>
                ))}
              </ul>
            </Card>
          ))}
        </div>
      )}
    </Loading>
  );
}

function byPartner(rows: Request[]): [string, Request[]][] {
  const of = new Map<string, Request[]>();
  for (const r of rows) of.set(r.partner, [...(of.get(r.partner) ?? []), r]);
  return [...of].sort(([a], [b]) => a.localeCompare(b));
}
