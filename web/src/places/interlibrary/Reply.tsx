import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { ReasonField } from "../../circulation/reasons";
import { ChoiceField, Form, Send, saysOf } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { Button, Card, Code, Quiet, Tag } from "../../ui/parts";
import { useWrite } from "../../shell/write";

type Answer = Schema["InterlibraryAnswer"];

const reasons = [
  ["", "choose"],
  ["NotHeld", "We do not have it"],
  ["OnLoan", "It is on loan"],
  ["NotAvailable", "Not available now"],
  ["NonCirculating", "Not lent outside the network"],
  ["Other", "Another reason"],
] as const;

const schema = z.object({
  reason: z
    .enum(["", "NotHeld", "OnLoan", "NotAvailable", "NonCirculating", "Other"])
    .refine((r): boolean => r !== "", "Choose a reason."),
  note: check.text,
});

const useSaid = saysOf<z.infer<typeof schema>>();

/** Answers a partner: yes with a copy, or no with a reason. */
export function Reply({ request, onClose }: { request: Schema["InterlibraryRequest"]; onClose: () => void }) {
  const askAgain = useAskAgain();
  const reply = useWrite(
    (body: Answer, key) =>
      api.POST("/api/interlibrary/{id}/reply", { params: { path: { id: request.id }, header: keyed(key) }, body }),
    {
      name: `reply ${request.id}`,
      about: `The answer to ${request.partner}`,
      done: () => {
        onClose();
        askAgain("requests");
      },
    },
  );
  return (
    <Card label="Answer" className="grid gap-3 p-3.5">
      <div className="flex items-baseline justify-between">
        <h2 className="font-semibold">
          {request.partner} asks for {request.title}
        </h2>
        <Quiet onClick={onClose}>Close</Quiet>
      </div>
      <Form
        label="Answer"
        schema={schema}
        start={{ reason: "", note: "" }}
        write={reply}
        onSend={(v) => reply.run({ yes: false, reason: v.reason || undefined, note: v.note })}
        className="grid gap-3"
      >
        {request.copy ? (
          <YesToCopy part={request.part} busy={reply.busy} onYes={(note) => reply.run({ yes: true, note })} />
        ) : (
          <Copies request={request.id} busy={reply.busy} onYes={(item, note) => reply.run({ yes: true, item, note })} />
        )}
        <div className="flex flex-wrap items-end gap-3 border-t border-line pt-3">
          <ChoiceField name="reason" label="Reason" options={reasons} />
          <ReasonField list="refuse" name="note" label="Note to partner" width="w-72 max-w-full" />
          <Send plain write={reply}>
            Decline
          </Send>
        </div>
      </Form>
    </Card>
  );
}

/** Of a copy, what is wanted. Nothing leaves for it. */
function YesToCopy({ part, busy, onYes }: { part: string; busy: boolean; onYes: (note: string) => void }) {
  const note = useSaid("note");
  return (
    <p className="flex flex-wrap items-center gap-3">
      A copy{part ? ` of ${part}` : ""}
      <Button className="ml-auto" busy={busy} onClick={() => onYes(note)}>
        Supply a copy
      </Button>
    </p>
  );
}

/** Our copies, and whether each may leave. */
function Copies({
  request,
  busy,
  onYes,
}: {
  request: number;
  busy: boolean;
  onYes: (item: number, note: string) => void;
}) {
  const note = useSaid("note");
  const copies = useQuery({
    queryKey: ["copies", request],
    queryFn: () => told(api.GET("/api/interlibrary/{id}/copies", { params: { path: { id: request } } })),
  });
  return (
    <Loading of={copies} lines={2} none={(c) => c.length === 0} empty="No copy is on a shelf here.">
      {(list) => (
        <ul className="divide-y divide-line">
          {list.map((c) => (
            <li key={c.id} className="flex flex-wrap items-center gap-3 py-1.5">
              <Code>{c.barcode}</Code> {c.branch}, {c.call_number} <Tag tone={c.may ? "spruce" : "buoy"}>{c.says}</Tag>
              {c.may && (
                <Button className="ml-auto" busy={busy} onClick={() => onYes(c.id, note)}>
                  Supply this copy
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
    </Loading>
  );
}
