import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { useAskAgain } from "../../api/asked";
import { api, keyed, type Answer, type Schema } from "../../api/client";
import { DateChoice } from "../../ui/date";
import { Button, Quiet, Trouble } from "../../ui/parts";
import { useWrite } from "../../shell/write";
import { outside } from "./session";

type Request = Schema["InterlibraryRequest"];
type Step = Request["may"][number];

const at = (r: Request, key: string) => ({ params: { path: { id: r.id }, header: keyed(key) } });

const arrived = (r: Request, key: string, due?: string) =>
  api.POST("/api/interlibrary/{id}/arrived", { ...at(r, key), body: { due } });

/** The steps that are one click, with what they are called. */
const steps: Partial<Record<Step, [string, (r: Request, key: string) => Promise<Answer<unknown>>]>> = {
  pack: ["Pack without scanning", (r, key) => api.POST("/api/interlibrary/{id}/pack", at(r, key))],
  unpack: ["Unpack", (r, key) => api.POST("/api/interlibrary/{id}/unpack", at(r, key))],
  send_copy: ["Mark copy as sent", (r, key) => api.POST("/api/interlibrary/{id}/copy-sent", at(r, key))],
  withdraw: ["Withdraw", (r, key) => api.POST("/api/interlibrary/{id}/withdraw", at(r, key))],
  renew: ["Request renewal", (r, key) => api.POST("/api/interlibrary/{id}/renew", at(r, key))],
  chase: ["Ask for the status", (r, key) => api.POST("/api/interlibrary/{id}/chase", at(r, key))],
  hand_over: [
    "Hand over",
    (r, key) =>
      api.POST("/api/interlibrary/handed-over", { params: { header: keyed(key) }, body: { requests: [r.id] } }),
  ],
};

/** What can be done about a request in its row: what is next, and what else is one click. */
export function Move({ request: r }: { request: Request }) {
  return (
    <span className="flex flex-wrap items-center justify-end gap-x-3 gap-y-1">
      <Next request={r} />
      {r.may.map((s) => (s === r.next ? null : <OneClick key={s} request={r} step={s} quiet />))}
    </span>
  );
}

function Next({ request: r }: { request: Request }) {
  const navigate = useNavigate();
  const open = () => void navigate({ to: "/interlibrary", search: { request: r.id } });
  switch (r.next) {
    case "answer":
      return <Button onClick={open}>Answer</Button>;
    case "choose":
      return <Button onClick={open}>Choose another copy</Button>;
    case "elsewhere":
      return (
        <Do
          request={r}
          label="Request elsewhere"
          send={(q, key) => api.POST("/api/interlibrary/{id}/seen", at(q, key))}
          done={() => outside.setState({ words: r.title, asking: true })}
        />
      );
    case "receive":
      if (!r.our_move) return null;
      if (r.due_past) return <Agreed request={r} />;
      return (
        <Do
          request={r}
          label="Mark as received"
          send={arrived}
          done={(taken) => outside.setState({ taken: { sign: taken.sign, title: taken.title, code: taken.barcode } })}
        />
      );
    case "pack":
      return (
        <>
          <span className="text-sm text-ink-2">Scan it to pack it</span>
          <OneClick request={r} step="pack" quiet />
        </>
      );
    case "":
      return null;
    default:
      return <OneClick request={r} step={r.next} />;
  }
}

/** A step that is one click; the others have their place on the request's own page. */
function OneClick({ request, step, quiet }: { request: Request; step: Step; quiet?: boolean }) {
  const known = steps[step];
  if (!known) return null;
  return <Do request={request} label={known[0]} send={known[1]} quiet={quiet} />;
}

/** The lender's date has gone by: it is taken in with one that was agreed with them. */
function Agreed({ request: r }: { request: Request }) {
  const [due, setDue] = useState("");
  return (
    <div className="grid gap-1 text-sm">
      <DateChoice label={`The lender’s date, ${r.due}, has passed. New date agreed`} value={due} onChange={setDue} />
      {due && (
        <Do
          request={r}
          label="Mark as received"
          send={(q, key) => arrived(q, key, due)}
          done={(taken) => outside.setState({ taken: { sign: taken.sign, title: taken.title, code: taken.barcode } })}
        />
      )}
    </div>
  );
}

function Do<O>({
  request,
  label,
  send,
  done,
  quiet,
}: {
  request: Request;
  label: string;
  send: (r: Request, key: string) => Promise<Answer<O>>;
  done?: (answer: O) => void;
  quiet?: boolean;
}) {
  const askAgain = useAskAgain();
  const move = useWrite(send, {
    name: `request ${request.id} ${label}`,
    about: `${label}: ${request.title}`,
    done: (answer) => {
      done?.(answer);
      askAgain("requests");
    },
  });
  return (
    <>
      {quiet ? (
        <Quiet disabled={move.busy} onClick={() => move.run(request)}>
          {label}
        </Quiet>
      ) : (
        <Button busy={move.busy} onClick={() => move.run(request)}>
          {label}
        </Button>
      )}
      <Trouble error={move.problem} />
    </>
  );
}
