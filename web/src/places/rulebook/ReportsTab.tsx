import { useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { usePages } from "../../kit/pages";
import { Button, Card, Code, Empty, inputLook, Loading, Tag, Trouble } from "../../kit/parts";
import { sayInstant } from "../../kit/say";

/** What branches think is wrong: answered here, or turned into an example or a rule by way of the loan. */
export function ReportsTab() {
  const list = usePages(["reports"], (after) => told(api.GET("/api/reports", { params: { query: { after } } })));
  if (list.error) return <Trouble error={list.error} />;
  if (!list.rows) return <Loading />;
  return (
    <Card label="Reports">
      {list.rows.length === 0 ? (
        <Empty>
          Nobody has reported anything. Staff report terms that seem wrong from a loan: open its terms, say what
          happened and what was expected.
        </Empty>
      ) : (
        <ul className="divide-y divide-line">
          {list.rows.map((r) => (
            <Report key={r.id} r={r} />
          ))}
        </ul>
      )}
      {list.more}
    </Card>
  );
}

function Report({ r }: { r: Schema["RulesReport"] }) {
  const queries = useQueryClient();
  const [answer, setAnswer] = useState("");
  const [error, setError] = useState<unknown>();
  const send = () =>
    told(
      api.POST("/api/reports/{id}/answer", { params: { path: { id: r.id }, header: newKey() }, body: { answer } }),
    ).then(() => queries.invalidateQueries(), setError);
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
          <Link
            to="/rulebook"
            search={{ loan: r.loan_id }}
            className="border-b border-dotted border-spruce-500 text-spruce-700"
          >
            Terms of the loan, to correct a class or keep it as an example
          </Link>
        )}
      </p>
      {r.answered_at ? (
        <p>Answer: {r.answer}</p>
      ) : (
        <form
          className="flex gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            void send();
          }}
        >
          <input
            aria-label="Answer"
            placeholder="Answer: what was done, or why it is right"
            className={`${inputLook} flex-1`}
            value={answer}
            onChange={(e) => setAnswer(e.target.value)}
          />
          <Button type="submit" plain disabled={!answer.trim()}>
            Answer
          </Button>
        </form>
      )}
      <Trouble error={error} />
    </li>
  );
}
