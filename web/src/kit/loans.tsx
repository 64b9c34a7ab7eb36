import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, keyed, type Schema } from "../api/client";
import { Quiet, Trouble } from "./parts";
import type { PatronCardProps } from "./types";
import { Why } from "./why";
import { useWrite } from "./write";

type Line = Schema["PeopleLine"];

/** Loans with renewal, each refused or done with its why. */
export function Loans(props: PatronCardProps) {
  return (
    <ul className="max-h-72 divide-y divide-line overflow-auto border-y border-line">
      {props.card.on_loan.map((l) => (
        <Loan key={l.loan_id} line={l} {...props} />
      ))}
    </ul>
  );
}

function Loan({ line: l, card, onCard, onStale }: PatronCardProps & { line: Line }) {
  const [said, setSaid] = useState<Schema["DeskRenewed"]>();
  const renew = useWrite(
    (id: number, key) => api.POST("/api/loans/{id}/renew", { params: { path: { id }, header: keyed(key) } }),
    {
      name: `renew ${l.loan_id}`,
      about: `Renewing ${l.title}`,
      done: (r) => {
        setSaid(r);
        if (!r.ok) return;
        const line = r.line;
        if (r.stale || !line) onStale();
        else onCard({ ...card, on_loan: card.on_loan.map((x) => (x.loan_id === line.loan_id ? line : x)) });
      },
    },
  );
  return (
    <li className="px-3.5 py-2 text-sm">
      <b className="font-semibold">{l.title}</b>
      <p className={l.late ? "text-buoy-700" : "text-ink-2"}>
        Due {l.due}
        {l.lost ? `, lost since ${l.lost}` : l.late && ", late"} ·{" "}
        <Quiet disabled={renew.busy} onClick={() => renew.run(l.loan_id)}>
          Renew
        </Quiet>{" "}
        ·{" "}
        <Link to="/rulebook" search={{ loan: l.loan_id }} className="link">
          Terms
        </Link>
      </p>
      <Trouble error={renew.problem} />
      {said && (
        <p role="status" className={said.ok ? "text-spruce-700" : "text-buoy-700"}>
          {said.text} <Why trace={said.why}>Why</Why>
        </p>
      )}
    </li>
  );
}
