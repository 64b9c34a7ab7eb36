import { useAskAgain } from "../../api/asked";
import { Link } from "@tanstack/react-router";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { Form, Send, TextField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Card, Code, Quiet, Tag } from "../../ui/parts";
import { sayInstant } from "../../ui/say";
import { useWrite } from "../../shell/write";

/** What branches think is wrong: answered here, or turned into an example or a rule by way of the loan. */
export function ReportsTab() {
  const list = usePages(["reports"], (after) => told(api.GET("/api/reports", { params: { query: { after } } })));
  return (
    <Card label="Reports">
      <Loading
        of={list}
        none={(rows) => rows.length === 0}
        empty="No reports. Staff can report wrong terms from a loan: open its terms and describe what happened."
      >
        {(rows) => (
          <ul className="divide-y divide-line">
            {rows.map((r) => (
              <Report key={r.id} r={r} />
            ))}
            {list.pages.hasMore && (
              <li className="px-4 py-2.5 text-sm text-ink-2">
                There are more. <Quiet onClick={list.pages.fetchMore}>Show more</Quiet>
              </li>
            )}
          </ul>
        )}
      </Loading>
    </Card>
  );
}

const schema = z.object({ answer: check.needed("Enter what was done, or why it is right.") });

function Report({ r }: { r: Schema["RulesReport"] }) {
  const askAgain = useAskAgain();
  const send = useWrite(
    (body: z.infer<typeof schema>, key) =>
      api.POST("/api/reports/{id}/answer", { params: { path: { id: r.id }, header: keyed(key) }, body }),
    {
      name: `answer report ${r.id}`,
      about: `The answer to ${r.who}`,
      done: () => askAgain("reports"),
    },
  );
  return (
    <li className="grid gap-1.5 px-4 py-3">
      <p className="flex flex-wrap items-baseline gap-x-3">
        {r.answered_at ? <Tag tone="spruce">Answered</Tag> : <Tag tone="amber">Open</Tag>}
        <b className="font-semibold">{r.happened}</b>
        <span className="text-sm text-ink-2">
          {r.who}, {r.branch}, {sayInstant(r.at)}
        </span>
      </p>
      {r.expected && <p>Expected: {r.expected}</p>}
      <p className="flex flex-wrap gap-x-4 text-sm text-ink-2">
        {r.title && (
          <span>
            {r.title} <Code>{r.barcode}</Code>
          </span>
        )}
        {r.card && (
          <span>
            Card <Code>{r.card}</Code>
          </span>
        )}
        {r.loan_id && (
          <Link to="/rulebook" search={{ loan: r.loan_id }} className="link">
            Loan terms, to correct a class or save it as an example
          </Link>
        )}
      </p>
      {r.answered_at ? (
        <p>Answer: {r.answer}</p>
      ) : (
        <Form
          schema={schema}
          start={{ answer: "" }}
          write={send}
          onSend={send.run}
          className="flex flex-wrap items-end gap-2"
        >
          <TextField name="answer" label="Answer" placeholder="What was done, or why it is right" className="flex-1" />
          <Send plain write={send}>
            Answer
          </Send>
        </Form>
      )}
    </li>
  );
}
