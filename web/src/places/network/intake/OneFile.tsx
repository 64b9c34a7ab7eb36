import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useId, useState } from "react";
import { useStore } from "zustand";
import { api, told } from "../../../api/client";
import { Loading } from "../../../ui/loading";
import { Button, Card, Head, Trouble } from "../../../ui/parts";
import { sayInstant } from "../../../ui/say";
import { useAct } from "./acts";
import { HowItIsRead } from "./HowItIsRead";
import { send, sending, type Intake } from "./sending";
import { Outcome } from "./Outcome";
import { kinds, sayState, StateOf, underWay } from "./words";

/** One file: how it is read, what would become of it, and what did. */
export function OneFile({ id }: { id: number }) {
  const sends = useStore(sending, (s) => s[id]);
  const one = useQuery({
    queryKey: ["intakes", id],
    queryFn: () => told(api.GET("/api/intakes/{id}", { params: { path: { id } } })),
    refetchInterval: ({ state }) => {
      const n = state.data;
      return n && (underWay(n) || (n.state === "sending" && sends?.ended)) ? 700 : false;
    },
  });
  return (
    <div className="grid gap-3.5">
      <p>
        <Link to="/network" search={{ tab: "moving" }} className="link">
          All files
        </Link>
      </p>
      <Loading of={one}>{(n) => <Shown intake={n} />}</Loading>
    </div>
  );
}

function Shown({ intake: n }: { intake: Intake }) {
  const sends = useStore(sending, (s) => s[n.id]);
  const [anew, setAnew] = useState(false);
  const ready = n.seen && (n.state === "read" || n.state === "tried");
  return (
    <>
      <Head
        title={`${n.file}, from ${n.source}`}
        says={`${kinds[n.kind].name}. Sent by ${n.who}, ${sayInstant(n.begun_at)}.`}
      >
        <StateOf intake={n} />
      </Head>
      {n.problem && (
        <p role="alert" className="text-buoy-700">
          {n.problem}
        </p>
      )}
      {n.state === "sending" && <Sends intake={n} />}
      {sends?.problem !== undefined && <Trouble error={sends.problem} />}
      {underWay(n) && <UnderWay intake={n} />}
      {ready && (n.state === "read" || anew) && <HowItIsRead intake={n} onTried={() => setAnew(false)} />}
      {n.counts && !underWay(n) && n.state !== "read" && (
        <Outcome intake={n} onAnew={() => setAnew(true)} anew={anew} />
      )}
      {["sending", "read", "tried"].includes(n.state) && <Drop intake={n} />}
    </>
  );
}

/** How far something is. */
function Bar({ label, done, total }: { label: string; done: number; total: number }) {
  return (
    <div className="flex items-center gap-3">
      <progress
        aria-label={label}
        className="h-3 w-72 accent-spruce-700"
        max={total || undefined}
        value={total ? done : undefined}
      />
      <span className="tabular-nums">{total > 0 ? `${Math.floor((100 * done) / total)} %` : done > 0 ? done : ""}</span>
    </div>
  );
}

/** A file that has not arrived whole: it is being sent by this window, or has to be chosen again. */
function Sends({ intake: n }: { intake: Intake }) {
  const id = useId();
  const sends = useStore(sending, (s) => s[n.id]);
  const [wrong, setWrong] = useState("");
  if (sends && !sends.problem)
    return (
      <Card label="Upload" className="grid gap-2 p-3.5">
        <p role="status">
          {sends.ended ? "Uploaded; it is read next." : "Uploading. You can work elsewhere in this window."}
        </p>
        <Bar label="Upload progress" done={sends.come} total={n.bytes} />
      </Card>
    );
  return (
    <Card label="Upload" className="grid gap-2 p-3.5">
      <p>
        {n.come === 0 ? "Nothing" : `${Math.floor((100 * n.come) / n.bytes)} %`} of this file has arrived, and this
        window is not uploading it. Choose the same file again to continue.
      </p>
      <label htmlFor={id} className="text-sm text-ink-2">
        {n.file}, {n.bytes.toLocaleString("en")} bytes
      </label>
      <input
        id={id}
        type="file"
        onChange={(e) => {
          const file = e.currentTarget.files?.[0];
          if (!file) return;
          setWrong(
            file.size === n.bytes
              ? ""
              : `This file has ${file.size.toLocaleString("en")} bytes: it is a different file.`,
          );
          if (file.size === n.bytes) void send(n, file);
        }}
      />
      {wrong && (
        <p role="alert" className="text-buoy-700">
          {wrong}
        </p>
      )}
    </Card>
  );
}

function UnderWay({ intake: n }: { intake: Intake }) {
  const stop = useAct(n.id, "stop", "Stopping the import");
  return (
    <Card label="In progress" className="grid gap-2 p-3.5">
      <p role="status">
        {sayState(n)} …{" "}
        {(n.state === "taking" || n.state === "undoing") && "It is done as a whole: if you stop, nothing is changed."}
      </p>
      <Bar label="Progress" done={n.done} total={n.total} />
      {n.state !== "reading" && (
        <div>
          <Button plain disabled={stop.busy} onClick={() => stop.run(undefined)}>
            Stop
          </Button>
        </div>
      )}
      <Trouble error={stop.problem} />
    </Card>
  );
}

function Drop({ intake: n }: { intake: Intake }) {
  const drop = useAct(n.id, "drop", "Deleting the file");
  return (
    <div>
      <Button plain disabled={drop.busy} onClick={() => drop.run(undefined)}>
        Delete file
      </Button>
      <Trouble error={drop.problem} />
    </div>
  );
}
