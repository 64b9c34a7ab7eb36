import { useAskAgain } from "../../api/asked";
import { useState } from "react";
import { api, keyed, type Answer, type Schema } from "../../api/client";
import { Button, Quiet, Trouble } from "../../ui/parts";
import { useWrite } from "../../shell/write";
import { outside } from "./session";
import { DateChoice } from "../../ui/date";

type Request = Schema["InterlibraryRequest"];
type Taken = Schema["InterlibraryTaken"];

const at = (r: Request, key: string) => ({ params: { path: { id: r.id }, header: keyed(key) } });

const seen = (r: Request, key: string) => api.POST("/api/interlibrary/{id}/seen", at(r, key));
const arrived = (r: Request, key: string, due?: string) =>
  api.POST("/api/interlibrary/{id}/arrived", { ...at(r, key), body: { due } });
const sendHome = (r: Request, key: string) => api.POST("/api/interlibrary/{id}/send-home", at(r, key));
const withdraw = (r: Request, key: string) => api.POST("/api/interlibrary/{id}/withdraw", at(r, key));
const renew = (r: Request, key: string) => api.POST("/api/interlibrary/{id}/renew", at(r, key));
const ship = (r: Request, key: string) => api.POST("/api/interlibrary/{id}/ship", at(r, key));

/** What can be done about a request now: our move, or taking back what we asked. */
export function Move({
  request: r,
  onReply,
  onTaken,
}: {
  request: Request;
  onReply: () => void;
  onTaken: (t: Taken) => void;
}) {
  if (r.role === "supplying") {
    if (!r.our_move) return null;
    if (r.stage === "asked") return <Button onClick={onReply}>Answer</Button>;
    return r.stage === "promised" ? <Do request={r} label={r.copy ? "Mark copy as sent" : "Ship"} send={ship} /> : null;
  }
  switch (r.stage) {
    case "refused":
      return r.our_move ? (
        <Do
          request={r}
          label="Request elsewhere"
          send={seen}
          done={() => outside.setState({ words: r.title, asking: true })}
        />
      ) : null;
    case "shipped":
      if (!r.our_move) return null;
      if (r.due_past) return <Agreed request={r} onTaken={onTaken} />;
      return <Do request={r} label="Mark as received" send={arrived} done={onTaken} />;
    case "there":
      if (r.our_move) return <Do request={r} label="Mark as returned" send={sendHome} />;
      return r.renewing ? null : <Do request={r} label="Request renewal" send={renew} quiet />;
    case "asked":
    case "promised":
      return r.withdrawing ? null : <Do request={r} label="Withdraw" send={withdraw} quiet={!r.our_move} />;
    default:
      return null;
  }
}

/** The lender's date has gone by: it is taken in with one that was agreed with them. */
function Agreed({ request: r, onTaken }: { request: Request; onTaken: (t: Taken) => void }) {
  const [due, setDue] = useState("");
  return (
    <div className="grid gap-1 text-sm">
      <DateChoice label={`The lender’s date, ${r.due}, has passed. New date agreed`} value={due} onChange={setDue} />
      {due && <Do request={r} label="Mark as received" send={(q, key) => arrived(q, key, due)} done={onTaken} />}
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
