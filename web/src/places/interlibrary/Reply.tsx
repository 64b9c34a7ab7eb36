import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { Button, Card, Code, Field, inputLook, Loading, Quiet, Tag } from "../../kit/parts";

type Reason = NonNullable<Schema["InterlibraryAnswer"]["reason"]>;

const reasons: [Reason, string][] = [
  ["NotHeld", "We do not have it"],
  ["OnLoan", "It is on loan"],
  ["NotAvailable", "It cannot be had now"],
  ["NonCirculating", "It does not leave the network"],
  ["Other", "Another reason"],
];

/** Answers a partner: yes with a copy, or no with a reason. */
export function Reply({
  id,
  request,
  onReply,
  onClose,
}: {
  id: number;
  request?: Schema["InterlibraryRequest"];
  onReply: (p: Promise<unknown>) => void;
  onClose: () => void;
}) {
  const copies = useQuery({
    queryKey: ["copies", id],
    queryFn: () => told(api.GET("/api/interlibrary/{id}/copies", { params: { path: { id } } })),
  });
  const [reason, setReason] = useState<Reason>("NotHeld");
  const [note, setNote] = useState("");
  const reply = (body: Schema["InterlibraryAnswer"]) =>
    onReply(told(api.POST("/api/interlibrary/{id}/reply", { params: { path: { id }, header: newKey() }, body })));
  return (
    <Card label="Answer" className="grid gap-3 p-3.5">
      <div className="flex items-baseline justify-between">
        <h2 className="font-semibold">
          {request?.partner} asks for {request?.title}
        </h2>
        <Quiet onClick={onClose}>Close</Quiet>
      </div>
      {copies.isPending ? (
        <Loading lines={2} />
      ) : copies.data?.length ? (
        <ul className="divide-y divide-line">
          {copies.data.map((c) => (
            <li key={c.id} className="flex items-center gap-3 py-1.5">
              <Code>{c.barcode}</Code> {c.branch}, {c.call_number} <Tag tone={c.may ? "spruce" : "buoy"}>{c.says}</Tag>
              {c.may && (
                <Button className="ml-auto" onClick={() => reply({ yes: true, item: c.id, note })}>
                  Yes, with this copy
                </Button>
              )}
            </li>
          ))}
        </ul>
      ) : (
        <p className="text-ink-2">No copy of it is on a shelf here.</p>
      )}
      <div className="flex flex-wrap items-end gap-3 border-t border-line pt-3">
        <Field label="Reason for a no">
          <select className={inputLook} value={reason} onChange={(e) => setReason(e.target.value as Reason)}>
            {reasons.map(([code, name]) => (
              <option key={code} value={code}>
                {name}
              </option>
            ))}
          </select>
        </Field>
        <Field label="Note to them">
          <input className={`${inputLook} w-72`} value={note} onChange={(e) => setNote(e.target.value)} />
        </Field>
        <Button plain onClick={() => reply({ yes: false, reason, note })}>
          Answer no
        </Button>
      </div>
    </Card>
  );
}
