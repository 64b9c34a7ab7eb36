import { useState } from "react";
import { z } from "zod";
import { useAskAgain } from "../../api/asked";
import { api, keyed, type Schema } from "../../api/client";
import { ReasonField } from "../../circulation/reasons";
import { useWrite } from "../../shell/write";
import * as check from "../../ui/checks";
import { ChoiceField, Form, Send, saysOf } from "../../ui/forms";
import { Button, Code, Tag } from "../../ui/parts";

type Answer = Schema["InterlibraryAnswer"];
type Proposal = Schema["InterlibraryProposal"];
type Copy = Schema["InterlibraryCopy"];

export const noReasons = [
  ["NotHeld", "We do not have it"],
  ["OnLoan", "It is on loan"],
  ["NotAvailable", "Not available now"],
  ["NonCirculating", "Not lent outside the network"],
  ["PolicyProblem", "Our rules do not allow it"],
  ["Other", "Another reason"],
] as const;

/** What a reason of the standard is called. */
export const sayReason = (reason?: string) => noReasons.find(([code]) => code === reason)?.[1] ?? "";

const schema = z.object({
  reason: z
    .enum(["", "NotHeld", "OnLoan", "NotAvailable", "NonCirculating", "PolicyProblem", "Other"])
    .refine((r): boolean => r !== "", "Choose a reason."),
  note: check.text,
});

const useSaid = saysOf<z.infer<typeof schema>>();

/** Answers a partner: yes with a copy, or no with a reason. What is proposed stands first. */
export function Reply({ proposal, onDone }: { proposal: Proposal; onDone: () => void }) {
  const { request } = proposal;
  const askAgain = useAskAgain();
  const reply = useWrite(
    (body: Answer, key) =>
      api.POST("/api/interlibrary/{id}/reply", { params: { path: { id: request.id }, header: keyed(key) }, body }),
    {
      name: `reply ${request.id}`,
      about: `The answer to ${request.partner}`,
      done: () => {
        askAgain("requests");
        onDone();
      },
    },
  );
  return (
    <Form
      label="Answer"
      schema={schema}
      start={{ reason: "", note: "" }}
      write={reply}
      onSend={(v) => reply.run({ yes: false, reason: v.reason || undefined, note: v.note })}
      className="grid gap-3"
    >
      <p>
        <Tag tone={proposal.answer === "yes" ? "spruce" : proposal.answer === "no" ? "buoy" : "amber"}>
          {{ yes: "Proposed: yes", no: "Proposed: no", look: "Needs a look" }[proposal.answer]}
        </Tag>{" "}
        {proposal.says}
      </p>
      {request.copy ? (
        <YesToCopy part={request.part} busy={reply.busy} onYes={(note) => reply.run({ yes: true, note })} />
      ) : (
        <Copies
          copies={proposal.copies}
          proposed={proposal.item}
          busy={reply.busy}
          onYes={(item, note) => reply.run({ yes: true, item, note })}
        />
      )}
      <div className="flex flex-wrap items-end gap-3 border-t border-line pt-3">
        <ChoiceField name="reason" label="Reason" options={[["", "choose"], ...noReasons]} />
        <ReasonField list="refuse" name="note" label="Note to partner" width="w-72 max-w-full" />
        <Send plain write={reply}>
          Decline
        </Send>
      </div>
    </Form>
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

/** Our copies, whether each fits, and whether it may leave. */
function Copies({
  copies,
  proposed,
  busy,
  onYes,
}: {
  copies: Copy[];
  proposed?: number;
  busy: boolean;
  onYes: (item: number, note: string) => void;
}) {
  const note = useSaid("note");
  const [all, setAll] = useState(false);
  if (copies.length === 0) return <p className="text-ink-2">We have nothing by this title or its numbers.</p>;
  const sorted = [...copies].sort((a, b) => Number(b.id === proposed) - Number(a.id === proposed));
  const shown = all ? sorted : sorted.slice(0, 5);
  return (
    <div>
      <ul className="divide-y divide-line">
        {shown.map((c) => (
          <li key={c.id} className="flex flex-wrap items-center gap-x-3 gap-y-1 py-1.5">
            <span>
              <b className="font-semibold">{c.title}</b> {[c.author, c.year, c.volume].filter(Boolean).join(", ")}
              <span className="block text-sm text-ink-2">
                <Code>{c.barcode}</Code> {c.branch}
                {c.call_number && `, ${c.call_number}`}
              </span>
            </span>
            <Tag tone={c.badly ? "buoy" : "spruce"}>{c.fits}</Tag>
            <Tag tone={c.may ? "spruce" : "buoy"}>{c.says}</Tag>
            {c.may && c.there && <span className="text-sm text-ink-2">with them by {c.there}</span>}
            {c.may && (
              <Button
                plain={c.id !== proposed}
                className="ml-auto"
                busy={busy}
                aria-label={`Supply ${c.barcode}`}
                onClick={() => onYes(c.id, note)}
              >
                Supply this copy
              </Button>
            )}
          </li>
        ))}
      </ul>
      {sorted.length > shown.length && (
        <Button plain small className="mt-1" onClick={() => setAll(true)}>
          Show all {sorted.length} copies
        </Button>
      )}
    </div>
  );
}
