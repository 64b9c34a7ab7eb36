import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { Link, useNavigate } from "@tanstack/react-router";
import { useMemo, useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Button, Card, Head, Tag, Trouble } from "../../ui/parts";
import { isEmployed, supervises } from "../../shell/places";
import { sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { Why } from "../../shell/why";
import { useWrite } from "../../shell/write";
import { Classes, ReportForm } from "./LoanForms";
import { capital, sayDimension, type Edition, type Overview } from "./types";

type Terms = Schema["RulesLoanTerms"];
type TermOf = Terms["terms"][number];

/** Why a loan got what it got: every term with the rule that gave it, what it was classed as, and what the next one gets. */
export function LoanTerms({ of }: { of: { loan: number } | { item: number; patron: number } }) {
  const loan = useQuery({
    queryKey: ["loan", of],
    queryFn: () =>
      "loan" in of
        ? told(api.GET("/api/loans/{id}/terms", { params: { path: { id: of.loan } } }))
        : told(api.GET("/api/rulebook/wanted", { params: { query: of } })),
  });
  const book = useQuery({ queryKey: ["rulebook"], queryFn: () => told(api.GET("/api/rulebook")) });
  return (
    <Loading of={loan} lines={10}>
      {(l) => <Loading of={book}>{(b) => <Shown l={l} book={b} />}</Loading>}
    </Loading>
  );
}

const columns: Column<TermOf>[] = [
  { id: "term", head: "Term", value: (t) => t.name },
  { id: "says", head: "Value", value: (t) => t.says, className: "font-semibold" },
  {
    id: "by",
    head: "Rule",
    value: (t) => t.rule,
    cell: (t) => <span className={t.default ? "text-ink-3" : ""}>{t.rule}</span>,
  },
  { id: "why", head: "Why", unnamed: true, right: true, cell: (t) => <Why trace={t.why}>Why</Why> },
];

function Shown({ l, book }: { l: Terms; book: Overview }) {
  const me = useMe();
  const askAgain = useAskAgain();
  const [said, setSaid] = useState("");
  const done = (text: string) => {
    setSaid(text);
    askAgain();
  };
  const now = useMemo(() => Object.fromEntries(l.now_as.map((v) => [v.code, v.name])), [l.now_as]);
  const drafts = book.editions.filter((e) => e.state === "draft");
  return (
    <div className="grid gap-3.5">
      <Head
        title={l.title}
        says={
          l.loan_id
            ? `Lent at ${l.branch} on ${sayInstant(l.lent_at)}, due ${l.due}, edition ${l.edition}.`
            : `What ${l.patron} would get at ${l.branch} now, edition ${l.edition}.`
        }
      >
        <Link to="/items" search={{ item: l.item_id }} className="link">
          The item
        </Link>
        {l.patron_id && (
          <Link to="/patrons" search={{ patron: l.patron_id }} className="link">
            {l.patron}
          </Link>
        )}
      </Head>
      {said && (
        <p role="status">
          <Tag tone="spruce">Done</Tag> {said}
        </p>
      )}
      <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(0,1fr)_360px]">
        <Card label="Terms of this loan">
          <Table
            label="Terms of this loan"
            columns={columns}
            rows={l.terms}
            id={(t) => t.term}
            tools
            paper={`Terms of ${l.title}`}
            className="max-h-[74vh]"
            empty="No terms."
          />
        </Card>
        <div className="grid gap-3.5">
          <Card label="Classes" className="grid gap-2 p-3.5">
            <b className="font-semibold">Classes</b>
            <dl className="grid grid-cols-[auto_1fr] gap-x-3 text-sm">
              {l.classed.map((v) => (
                <div key={v.code} className="contents">
                  <dt className="text-ink-2">{capital(sayDimension(v.code))}</dt>
                  <dd>
                    {v.name} {now[v.code] !== v.name && <Tag tone="amber">now {now[v.code]}</Tag>}
                  </dd>
                </div>
              ))}
            </dl>
            <p>{l.next}</p>
            {isEmployed(me.role) && <Classes key={`${l.material}${l.patron_class}`} l={l} book={book} onDone={done} />}
          </Card>
          {supervises(me.role) && <ToRule l={l} now={now} />}
          {supervises(me.role) && l.loan_id > 0 && <ToExample l={l} drafts={drafts} />}
          <ReportForm l={l} onDone={done} />
        </div>
      </div>
    </div>
  );
}

const beginDraft = (key: string) =>
  api.POST("/api/rulebook/drafts", { params: { header: keyed(key) }, body: { name: "" } });

/** Begins a draft with a rule for what this loan was classed as. */
function ToRule({ l, now }: { l: Terms; now: Record<string, string | undefined> }) {
  const navigate = useNavigate();
  const askAgain = useAskAgain();
  const begin = useWrite((_: void, key) => beginDraft(key), {
    name: "begin a draft",
    about: "Starting a draft",
    done: () => askAgain("rulebook"),
    go: (draft) => {
      const rule = `material_class=${l.material}${l.patron_class && `;patron_class=${l.patron_class}`}`;
      void navigate({ to: "/rulebook", search: { tab: "rules", edition: draft.id, rule } });
    },
  });
  return (
    <Card label="New rule from this loan" className="grid gap-2 p-3.5">
      <b className="font-semibold">New rule from this loan</b>
      <p className="text-sm text-ink-2">
        Starts a draft with a rule for {now.material_class?.toLowerCase()}
        {now.patron_class && ` and ${now.patron_class.toLowerCase()}`}, which you can widen or narrow.
      </p>
      <Button plain className="justify-self-start" busy={begin.busy} onClick={() => begin.run()}>
        Add rule in a new draft
      </Button>
      <Trouble error={begin.problem} />
    </Card>
  );
}

/** Keeps what this loan came to as an expectation. */
function ToExample({ l, drafts }: { l: Terms; drafts: Edition[] }) {
  const navigate = useNavigate();
  const askAgain = useAskAgain();
  const example = useQuery({
    queryKey: ["loan", l.loan_id, "example"],
    queryFn: () => told(api.GET("/api/loans/{id}/example", { params: { path: { id: l.loan_id } } })),
  });
  const kept = (e: Edition) => {
    askAgain("rulebook");
    void navigate({ to: "/rulebook", search: { tab: "examples", edition: e.id } });
  };
  const keep = useWrite(
    ({ into, kept: what }: { into: Edition; kept: Schema["RulesWrittenExample"]["example"] }, key) =>
      api.PUT("/api/rulebook/drafts/{id}/examples", {
        params: { path: { id: into.id }, header: keyed(key) },
        body: { revision: into.revision, example: what },
      }),
    { name: `example of ${l.loan_id}`, about: "Saving the example", done: kept },
  );
  const into = (draft: Edition) => example.data && keep.run({ into: draft, kept: example.data });
  const begin = useWrite((_: void, key) => beginDraft(key), {
    name: "begin a draft",
    about: "Starting a draft",
    done: (draft) => into(draft),
  });
  const busy = keep.busy || begin.busy;
  return (
    <Card label="Save as example" className="grid gap-2 p-3.5">
      <b className="font-semibold">Save as example</b>
      <p className="text-sm text-ink-2">
        This loan’s result becomes the expected result, so no draft can change it unnoticed.
      </p>
      <div className="flex flex-wrap gap-2">
        {drafts.map((d) => (
          <Button key={d.id} plain busy={busy} disabled={!example.data} onClick={() => into(d)}>
            In draft {d.number}
          </Button>
        ))}
        <Button plain busy={busy} disabled={!example.data} onClick={() => begin.run()}>
          In a new draft
        </Button>
      </div>
      <Trouble error={example.error ?? keep.problem ?? begin.problem} />
    </Card>
  );
}
