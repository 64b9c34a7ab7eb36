import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, told } from "../../api/client";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Button, Card, Code, Empty, Field, inputLook, Quiet, Tag, Trouble } from "../../ui/parts";
import { PrintSlip } from "../../circulation/print";
import { sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { Box } from "./Box";
import { OneTote } from "./OneTote";
import { sayState, useBegin, useClose, useGather, useLeft, type Tote } from "./tote";

/** Totes: being filled here, waiting for their run, on the way, and to be unpacked. Scanning a label says where one is. */
export function Totes({ tote }: { tote?: number }) {
  const me = useMe();
  const navigate = useNavigate();
  const choose = (id?: number) => void navigate({ to: "/courier", search: { tab: "totes", tote: id } });
  const here = useQuery({ queryKey: ["totes", me.branch], queryFn: () => told(api.GET("/api/totes")) });
  return (
    <div className="grid gap-3.5">
      {tote !== undefined && <OneTote id={tote} close={() => choose()} />}
      <Loading of={here}>
        {({ totes, loose, to }) => {
          const mine = (t: Tote) => t.from_branch === me.branch;
          const looseTo = (code: string) => loose.find((l) => l.to_branch === code)?.things ?? 0;
          const closed = totes.filter((t) => t.state === "closed" && mine(t));
          const coming = totes.filter((t) => !mine(t) && t.state !== "open" && t.state !== "here");
          return (
            <>
              <Filling
                totes={totes.filter((t) => t.state === "open" && mine(t))}
                to={to}
                loose={looseTo}
                choose={choose}
              />
              {closed.length > 0 && <Waiting totes={closed} choose={choose} />}
              <ToUnpack totes={totes.filter((t) => t.state === "here" && t.at_branch === me.branch)} choose={choose} />
              <OnTheWay
                label={`On the way to ${branchName(me)}, or through it`}
                totes={coming}
                choose={choose}
                empty="No tote is on its way here."
              />
              <OnTheWay
                label={`On the way from ${branchName(me)}`}
                totes={totes.filter((t) => mine(t) && t.state === "away")}
                choose={choose}
                empty="No tote from here is on its way."
              />
              <Past choose={choose} />
            </>
          );
        }}
      </Loading>
    </div>
  );
}

interface Chooses {
  choose: (id?: number) => void;
}

function Filling({
  totes,
  to,
  loose,
  choose,
}: Chooses & { totes: Tote[]; to: { code: string; name: string }[]; loose: (code: string) => number }) {
  const begin = useBegin(() => undefined);
  const [branch, setBranch] = useState("");
  return (
    <Card label="Open totes" className="grid gap-3 p-3.5">
      <div className="flex flex-wrap items-end justify-between gap-3">
        <div>
          <h2 className="font-semibold">Open totes</h2>
          <p className="text-ink-2">Items scanned for a branch are added to its open tote automatically.</p>
        </div>
        {to.length > 0 && (
          <form
            className="flex flex-wrap items-end gap-2"
            onSubmit={(e) => {
              e.preventDefault();
              const code = to.some((b) => b.code === branch) ? branch : to[0]?.code;
              if (code) begin.run({ to: code, gather: loose(code) > 0 });
            }}
          >
            <Field label="Start a tote for">
              <select
                className={inputLook}
                value={to.some((b) => b.code === branch) ? branch : to[0]?.code}
                onChange={(e) => setBranch(e.target.value)}
              >
                {to.map((b) => (
                  <option key={b.code} value={b.code}>
                    {b.name}
                    {loose(b.code) > 0 && ` (${loose(b.code)} sent, in no tote)`}
                  </option>
                ))}
              </select>
            </Field>
            <Button plain type="submit" disabled={begin.busy}>
              Start
            </Button>
          </form>
        )}
      </div>
      <Trouble error={begin.problem} />
      {totes.length === 0 ? (
        <Empty>No open totes. Start one for a branch; loose items already sent there can be added.</Empty>
      ) : (
        <ul aria-label="Open totes" className="grid gap-3 sm:grid-cols-2 lg:grid-cols-3 2xl:grid-cols-4">
          {totes.map((t) => (
            <Filled key={t.id} tote={t} loose={loose(t.to_branch)} choose={choose} />
          ))}
        </ul>
      )}
    </Card>
  );
}

function Filled({ tote: t, loose, choose }: Chooses & { tote: Tote; loose: number }) {
  const close = useClose(t);
  const gather = useGather(t);
  return (
    <li className="grid gap-1.5 rounded-card border border-line p-3">
      <Box tote={t} onClick={() => choose(t.id)} />
      <span className="text-sm">{leaving(t)}</span>
      <span className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <Button plain disabled={close.busy || t.things === 0} onClick={() => close.run(true)}>
          Close and start another
        </Button>
        <Quiet disabled={close.busy || t.things === 0} onClick={() => close.run(false)}>
          Close
        </Quiet>
        {loose > 0 && (
          <Quiet disabled={gather.busy} onClick={() => gather.run(undefined)}>
            Add {loose} sent earlier
          </Quiet>
        )}
      </span>
      <Trouble error={close.problem ?? gather.problem} />
    </li>
  );
}

const leaving = (t: Tote) => (t.leaves ? `Next: ${t.run}, ${sayInstant(t.leaves)}` : "No run there within four weeks");

/** Totes that are closed, by the run that takes them. */
function Waiting({ totes, choose }: Chooses & { totes: Tote[] }) {
  const runs = [...new Set(totes.map((t) => leaving(t)))];
  return (
    <Card label="Waiting for the courier" className="grid gap-3 p-3.5">
      <h2 className="font-semibold">Waiting for the courier</h2>
      {runs.map((run) => (
        <Run key={run} run={run} totes={totes.filter((t) => leaving(t) === run)} choose={choose} />
      ))}
    </Card>
  );
}

function Run({ run, totes, choose }: Chooses & { run: string; totes: Tote[] }) {
  const left = useLeft(run);
  return (
    <div className="grid gap-1.5">
      <div className="flex flex-wrap items-center gap-3">
        <b className="font-semibold">{run}</b>
        <Button plain disabled={left.busy} onClick={() => left.run(totes.map((t) => t.id))}>
          {totes.length === 1 ? "Taken by the courier" : `All ${totes.length} taken by the courier`}
        </Button>
        <span className="text-sm text-ink-2">or scan each label</span>
      </div>
      <ul aria-label={`Waiting: ${run}`} className="grid gap-3 sm:grid-cols-2 lg:grid-cols-3 2xl:grid-cols-4">
        {totes.map((t) => (
          <li key={t.id} className="grid gap-1.5 rounded-card border border-line p-3">
            <Box tote={t} onClick={() => choose(t.id)} />
            <span>
              <PrintSlip of={{ kind: "tote", id: t.id }}>Print label</PrintSlip>
            </span>
          </li>
        ))}
      </ul>
      <Trouble error={left.problem} />
    </div>
  );
}

function ToUnpack({ totes, choose }: Chooses & { totes: Tote[] }) {
  if (totes.length === 0) return null;
  return (
    <Card label="To unpack" className="grid gap-3 p-3.5">
      <h2 className="font-semibold">To unpack</h2>
      <ul aria-label="Totes to unpack" className="grid gap-3 sm:grid-cols-2 lg:grid-cols-3 2xl:grid-cols-4">
        {totes.map((t) => (
          <li key={t.id} className="rounded-card border border-line p-3">
            <Box tote={t} onClick={() => choose(t.id)} />
          </li>
        ))}
      </ul>
    </Card>
  );
}

const columnsOf = (choose: (id?: number) => void): Column<Tote>[] => [
  {
    id: "number",
    head: "Tote",
    value: (t) => t.number,
    cell: (t) => (
      <Quiet onClick={() => choose(t.id)}>
        <Code>{t.number}</Code>
      </Quiet>
    ),
  },
  { id: "from", head: "From", value: (t) => t.from },
  { id: "to", head: "To", value: (t) => t.to },
  {
    id: "stands",
    head: "Status",
    value: (t) => sayState(t),
    cell: (t) => <Tag tone={t.stranded || t.late || t.state === "lost" ? "buoy" : "plain"}>{sayState(t)}</Tag>,
  },
  {
    id: "in",
    head: "Items",
    value: (t) => t.inside,
    cell: (t) => (
      <>
        {t.inside} of {t.things}
        {t.holds > 0 && <span className="block text-sm text-ink-2">{t.holds} for holds</span>}
      </>
    ),
  },
  {
    id: "run",
    head: "Run",
    value: (t) => t.run,
    className: "text-sm",
    cell: (t) => (
      <>
        {t.run || "None"}
        {t.stranded && <span className="block text-buoy-700">no longer runs; scan the label where it is</span>}
      </>
    ),
  },
  {
    id: "seen",
    head: "Last seen",
    value: (t) => t.seen_at,
    className: "text-sm",
    cell: (t) => (
      <>
        {t.at}, {sayInstant(t.seen_at)}
      </>
    ),
  },
  {
    id: "there",
    head: "On shelf by",
    value: (t) => t.ended_at ?? t.on_shelf ?? "",
    className: "text-sm",
    cell: (t) => (t.ended_at ? `ended ${sayInstant(t.ended_at)}` : t.on_shelf ? sayInstant(t.on_shelf) : "None"),
  },
];

function OnTheWay({ label, totes, choose, empty }: Chooses & { label: string; totes: Tote[]; empty: string }) {
  const me = useMe();
  return (
    <Card label={label}>
      <h2 className="px-3 py-2.5 font-semibold">{label}</h2>
      <Table
        label={label}
        columns={columnsOf(choose)}
        rows={totes}
        id={(t) => t.id}
        tools
        paper={`${label}, ${sayInstant(me.now)}`}
        empty={empty}
      />
    </Card>
  );
}

function Past({ choose }: Chooses) {
  const me = useMe();
  const [shown, setShown] = useState(false);
  const list = usePages(
    ["past totes", me.branch],
    (after) => told(api.GET("/api/totes/past", { params: { query: { after, most: 100 } } })),
    { enabled: shown },
  );
  return (
    <details onToggle={(e) => setShown(e.currentTarget.open)}>
      <summary className="cursor-pointer text-ink-2">Totes unpacked or declared lost</summary>
      {shown && (
        <Card label="Earlier totes" className="mt-2">
          <Loading of={list}>
            {(rows) => (
              <Table
                label="Earlier totes"
                columns={columnsOf(choose)}
                rows={rows}
                id={(t) => t.id}
                pages={list.pages}
                tools
                empty="No earlier totes from or to this branch."
              />
            )}
          </Loading>
        </Card>
      )}
    </details>
  );
}
