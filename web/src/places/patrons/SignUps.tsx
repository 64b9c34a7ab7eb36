import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Button, Card, Field, Head, inputLook, Quiet, Tag, Trouble } from "../../ui/parts";
import { sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { useTop } from "../../ui/top";
import { useWrite } from "../../shell/write";
import { FormIs } from "./Fields";
import { New, useTheForm } from "./WriteRecord";

type Row = Schema["SignupsSignUp"];

const useSignUps = () =>
  usePages(["sign-ups"], (after) => told(api.GET("/api/sign-ups", { params: { query: { after } } })));

/** A way to who signed up and waits, with how many they are. */
export function WaitingSignUps() {
  const navigate = useNavigate();
  const list = useSignUps();
  const waiting = list.data?.filter((s) => s.state === "waiting").length ?? 0;
  return (
    <Button plain onClick={() => void navigate({ to: "/patrons", search: { tab: "sign-ups" } })}>
      Sign-ups{waiting > 0 && ` (${waiting}${list.pages.hasMore ? " and more" : ""})`}
    </Button>
  );
}

const columns: Column<Row>[] = [
  {
    id: "name",
    head: "Name",
    value: (s) => s.name,
    cell: (s) =>
      s.state === "waiting" ? (
        <Link to="/patrons" search={{ signup: s.id }} className="link font-semibold">
          {s.name}
        </Link>
      ) : (
        s.name
      ),
  },
  { id: "age", head: "Age", value: (s) => s.age ?? "", right: true },
  { id: "branch", head: "Branch", value: (s) => s.branch },
  { id: "at", head: "Signed up", value: (s) => s.at, cell: (s) => sayInstant(s.at) },
  {
    id: "state",
    head: "Status",
    value: (s) => s.state,
    cell: (s) =>
      s.state === "waiting" ? (
        <Tag tone="amber">{s.patron > 0 ? "waiting, has a temporary card" : "waits"}</Tag>
      ) : (
        <>
          <Tag tone="plain">declined</Tag>{" "}
          <span className="text-sm text-ink-2">
            {s.answered}: {s.reason}
          </span>
        </>
      ),
  },
  {
    id: "act",
    head: "Actions",
    unnamed: true,
    right: true,
    cell: (s) => s.state === "turned_down" && <Again row={s} />,
  },
];

/** Who signed up by themselves and waits to be looked at. */
export function SignUps() {
  useTop();
  const list = useSignUps();
  return (
    <div className="grid gap-3.5">
      <Head title="Sign-ups" says="Online sign-ups waiting to be checked.">
        <Link to="/patrons" search={{}} className="link">
          Search patrons instead
        </Link>
      </Head>
      <Card label="Sign-ups">
        <Loading of={list}>
          {(rows) => (
            <Table
              label="Sign-ups"
              columns={columns}
              rows={rows}
              id={(s) => s.id}
              pages={list.pages}
              empty="No sign-ups waiting. Online sign-up is set under Network, Settings."
            />
          )}
        </Loading>
      </Card>
    </div>
  );
}

function useAfter() {
  const askAgain = useAskAgain();
  const navigate = useNavigate();
  return {
    done: () => {
      askAgain("sign-ups", "sign-up", "patrons");
    },
    go: () => void navigate({ to: "/patrons", search: { tab: "sign-ups" } }),
  };
}

function Again({ row }: { row: Row }) {
  const after = useAfter();
  const again = useWrite(
    (_: undefined, key) =>
      api.POST("/api/sign-ups/{id}/again", { params: { path: { id: row.id }, header: keyed(key) } }),
    { name: `sign-up again ${row.id}`, about: `The sign-up of ${row.name}`, ...after },
  );
  return (
    <>
      <Quiet disabled={again.busy} onClick={() => again.run(undefined)}>
        Reopen
      </Quiet>
      <Trouble error={again.problem} />
    </>
  );
}

/** One who signed up: completed and registered, known already, or turned down. */
export function SignUp({ id }: { id: number }) {
  useTop();
  const form = useTheForm();
  const one = useQuery({
    queryKey: ["sign-up", id],
    staleTime: Infinity,
    gcTime: 0,
    queryFn: () => told(api.GET("/api/sign-ups/{id}", { params: { path: { id } } })),
  });
  return (
    <div className="grid gap-3.5">
      <Head
        title={`Sign-up of ${one.data?.name ?? "…"}`}
        says={
          one.data &&
          `Signed up ${sayInstant(one.data.at)} for ${one.data.branch}.${one.data.card ? ` Has the temporary card ${one.data.card}.` : ""} Check who they are, complete the form and register them.`
        }
      >
        <Link to="/patrons" search={{ tab: "sign-ups" }} className="link">
          All sign-ups
        </Link>
      </Head>
      <Loading of={form}>
        {(f) => (
          <Loading of={one}>
            {(s) =>
              s.state === "waiting" ? (
                <>
                  <Otherwise row={s} />
                  <FormIs value={f}>
                    <New form={f} signUp={s} />
                  </FormIs>
                </>
              ) : (
                <p role="status">This sign-up is closed.</p>
              )
            }
          </Loading>
        )}
      </Loading>
    </div>
  );
}

/** Ways to answer a sign-up other than by registering them. */
function Otherwise({ row }: { row: Schema["SignupsWhole"] }) {
  const after = useAfter();
  const [reason, setReason] = useState("");
  const known = useWrite(
    (patron: number, key) =>
      api.POST("/api/sign-ups/{id}/known", { params: { path: { id: row.id }, header: keyed(key) }, body: { patron } }),
    { name: `sign-up ${row.id}`, about: `The sign-up of ${row.name}`, ...after },
  );
  const down = useWrite(
    (why: string, key) =>
      api.POST("/api/sign-ups/{id}/turned-down", {
        params: { path: { id: row.id }, header: keyed(key) },
        body: { reason: why },
      }),
    { name: `sign-up ${row.id}`, about: `The sign-up of ${row.name}`, ...after },
  );
  return (
    <Card label="Or" className="flex flex-wrap items-end gap-x-4 gap-y-2 p-3.5">
      {row.likely.map((l) => (
        <p key={l.id} className="flex-1 basis-full">
          <Link to="/patrons" search={{ patron: l.id }} target="_blank" className="link font-semibold">
            {l.name}
          </Link>{" "}
          <span className="text-sm text-ink-2">
            {l.card}, {l.branch}; {l.why}
          </span>{" "}
          <Quiet disabled={known.busy} onClick={() => known.run(l.id)}>
            Already registered: this patron
          </Quiet>
        </p>
      ))}
      <Field label="Reason for declining">
        <input
          className={`${inputLook} w-72`}
          maxLength={300}
          value={reason}
          onChange={(e) => setReason(e.target.value)}
        />
      </Field>
      <Button plain busy={down.busy} disabled={reason.trim() === ""} onClick={() => down.run(reason)}>
        Decline
      </Button>
      <Trouble error={known.problem ?? down.problem} />
    </Card>
  );
}
