import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { useMe } from "../../kit/me";
import { Button, Card, Field, Head, inputLook, Loading, Tag, Trouble } from "../../kit/parts";
import { sayInstant } from "../../kit/say";
import { Why } from "../../kit/why";

/** Why a loan got what it got: every term with the rule that gave it, what it was classed as, and what the next one gets. */
export function LoanTerms({ of }: { of: { loan: number } | { item: number; patron: number } }) {
  const me = useMe().data!;
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [error, setError] = useState<unknown>();
  const [said, setSaid] = useState("");
  const loan = useQuery({
    queryKey: ["loan", of],
    queryFn: () =>
      "loan" in of
        ? told(api.GET("/api/loans/{id}/terms", { params: { path: { id: of.loan } } }))
        : told(api.GET("/api/rulebook/wanted", { params: { query: of } })),
  });
  const book = useQuery({ queryKey: ["rulebook"], queryFn: () => told(api.GET("/api/rulebook")) });
  if (loan.error) return <Trouble error={loan.error} />;
  if (!loan.data || !book.data) return <Loading lines={10} />;
  const l = loan.data;
  const supervising = me.role === "supervisor" || me.role === "administrator";
  const after = (p: Promise<unknown>, text: string) =>
    void p.then(() => {
      setSaid(text);
      setError(undefined);
      return queries.invalidateQueries();
    }, setError);
  const drafts = book.data.editions!.filter((e) => e.state === "draft");
  const keep = async (draft?: Schema["RulesEdition"]) => {
    try {
      const example = await told(api.GET("/api/loans/{id}/example", { params: { path: { id: l.loan_id } } }));
      const into =
        draft ?? (await told(api.POST("/api/rulebook/drafts", { params: { header: newKey() }, body: { name: "" } })));
      const e = await told(
        api.PUT("/api/rulebook/drafts/{id}/examples", {
          params: { path: { id: into.id }, header: newKey() },
          body: { revision: into.revision, example },
        }),
      );
      await queries.invalidateQueries();
      void navigate({ to: "/rulebook", search: { tab: "examples", edition: e.id } });
    } catch (e) {
      setError(e);
    }
  };
  const rule = async () => {
    try {
      const draft = await told(api.POST("/api/rulebook/drafts", { params: { header: newKey() }, body: { name: "" } }));
      await queries.invalidateQueries();
      const scope = `material_class=${l.material}${l.patron_class && `;patron_class=${l.patron_class}`}`;
      void navigate({ to: "/rulebook", search: { tab: "rules", edition: draft.id, rule: scope } });
    } catch (e) {
      setError(e);
    }
  };
  const now = Object.fromEntries(l.now_as!.map((v) => [v.code, v.name]));
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
        <Link
          to="/items"
          search={{ item: l.item_id }}
          className="border-b border-dotted border-spruce-500 text-sm text-spruce-700"
        >
          The item
        </Link>
        {l.patron_id && (
          <Link
            to="/patrons"
            search={{ patron: l.patron_id }}
            className="border-b border-dotted border-spruce-500 text-sm text-spruce-700"
          >
            {l.patron}
          </Link>
        )}
      </Head>
      <Trouble error={error} />
      {said && (
        <p role="status">
          <Tag tone="spruce">Done</Tag> {said}
        </p>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)_360px] items-start gap-3.5">
        <Card label="Terms of this loan" className="max-h-[74vh] overflow-auto">
          <table className="list">
            <thead>
              <tr>
                <th>Term</th>
                <th>{l.loan_id ? "This loan" : "Would get"}</th>
                <th>Given by</th>
                <th>
                  <span className="sr-only">Why</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {l.terms!.map((t) => (
                <tr key={t.term}>
                  <td>{t.name}</td>
                  <td className="font-semibold">{t.says}</td>
                  <td className={t.rule === "The default" ? "text-ink-3" : ""}>{t.rule}</td>
                  <td className="text-right">
                    <Why trace={t.why}>Why</Why>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </Card>
        <div className="grid gap-3.5">
          <Card label="Classed as" className="grid gap-2 p-3.5">
            <b className="font-semibold">Classed as</b>
            <dl className="grid grid-cols-[auto_1fr] gap-x-3 text-sm">
              {l.classed!.map((v) => (
                <div key={v.code} className="contents">
                  <dt className="text-ink-2">{v.code.replaceAll("_", " ")}</dt>
                  <dd>
                    {v.name}
                    {now[v.code] !== v.name && <Tag tone="amber">now {now[v.code]}</Tag>}
                  </dd>
                </div>
              ))}
            </dl>
            <p>{l.next}</p>
            {me.role !== "volunteer" && (
              <Classes key={`${l.material}${l.patron_class}`} l={l} book={book.data} after={after} />
            )}
          </Card>
          {supervising && (
            <Card label="A rule for it" className="grid gap-2 p-3.5">
              <b className="font-semibold">A rule for it</b>
              <p className="text-sm text-ink-2">
                Begins a draft with a rule for {now.material_class?.toLowerCase()}
                {now.patron_class && ` and ${now.patron_class.toLowerCase()}`}, to be widened or narrowed there.
              </p>
              <Button plain className="justify-self-start" onClick={() => void rule()}>
                Write a rule in a new draft
              </Button>
            </Card>
          )}
          {supervising && l.loan_id > 0 && (
            <Card label="Keep as an example" className="grid gap-2 p-3.5">
              <b className="font-semibold">Keep as an example</b>
              <p className="text-sm text-ink-2">
                What this loan came to becomes the expectation, so that no draft changes it unseen.
              </p>
              <div className="flex flex-wrap gap-2">
                {drafts.map((d) => (
                  <Button key={d.id} plain onClick={() => void keep(d)}>
                    In draft {d.number}
                  </Button>
                ))}
                <Button plain onClick={() => void keep()}>
                  In a new draft
                </Button>
              </div>
            </Card>
          )}
          <ReportForm l={l} after={after} />
        </div>
      </div>
    </div>
  );
}

function Classes({
  l,
  book,
  after,
}: {
  l: Schema["RulesLoanTerms"];
  book: Schema["RulesOverview"];
  after: (p: Promise<unknown>, text: string) => void;
}) {
  const values = book.dimensions as Record<string, Schema["RulesValue"][]>;
  const [material, setMaterial] = useState(l.material);
  const [patron, setPatron] = useState(l.patron_class);
  return (
    <div className="grid gap-2 border-t border-line pt-2">
      <Field label="The item is really a">
        <select
          className={inputLook}
          value={material}
          onChange={(e) => {
            setMaterial(e.target.value);
            after(
              told(
                api.PUT("/api/items/{id}/classing", {
                  params: { path: { id: l.item_id }, header: newKey() },
                  body: { material: e.target.value, collection: l.collection },
                }),
              ),
              "The item’s class is corrected. Loans already made keep their terms; the next one follows.",
            );
          }}
        >
          {values.material_class!.map((v) => (
            <option key={v.code} value={v.code}>
              {v.name}
            </option>
          ))}
        </select>
      </Field>
      {l.patron_id && (
        <Field label="The patron is really">
          <select
            className={inputLook}
            value={patron}
            onChange={(e) => {
              setPatron(e.target.value);
              after(
                told(
                  api.PUT("/api/patrons/{id}/class", {
                    params: { path: { id: l.patron_id! }, header: newKey() },
                    body: { class: e.target.value },
                  }),
                ),
                "The patron’s class is corrected. Loans already made keep their terms; the next one follows.",
              );
            }}
          >
            {values.patron_class!.map((v) => (
              <option key={v.code} value={v.code}>
                {v.name}
              </option>
            ))}
          </select>
        </Field>
      )}
    </div>
  );
}

function ReportForm({ l, after }: { l: Schema["RulesLoanTerms"]; after: (p: Promise<unknown>, text: string) => void }) {
  const [happened, setHappened] = useState("");
  const [expected, setExpected] = useState("");
  return (
    <Card label="Report it" className="p-3.5">
      <form
        className="grid gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          after(
            told(
              api.POST("/api/reports", {
                params: { header: newKey() },
                body: { loan: l.loan_id || undefined, item: l.item_id, patron: l.patron_id, happened, expected },
              }),
            ),
            "Reported to the supervisor, with card and item.",
          );
          setHappened("");
          setExpected("");
        }}
      >
        <b className="font-semibold">Report it to the supervisor</b>
        <Field label="What happened">
          <input
            className={inputLook}
            required
            minLength={3}
            value={happened}
            onChange={(e) => setHappened(e.target.value)}
          />
        </Field>
        <Field label="What you expected">
          <input className={inputLook} value={expected} onChange={(e) => setExpected(e.target.value)} />
        </Field>
        <Button type="submit" plain className="justify-self-start">
          Send the report
        </Button>
      </form>
    </Card>
  );
}
