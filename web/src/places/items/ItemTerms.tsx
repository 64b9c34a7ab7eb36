import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, told } from "../../api/client";
import { useClasses } from "../../circulation/classes";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Card, Field, inputLook, Quiet, Tag } from "../../ui/parts";
import { Why } from "../../shell/why";
import { type Item } from "./stock";

const first = [
  "loan_period",
  "renewals",
  "fine_rate",
  "fine_limit",
  "lending_allowed",
  "least_age",
  "consent_needed",
  "holds_allowed",
];

/** Which terms an item gets here for a patron class, each with its why; its own ones are marked. */
export function ItemTerms({ item: i }: { item: Item }) {
  const me = useMe();
  const classes = useClasses();
  const [chosen, setChosen] = useState("");
  const [all, setAll] = useState(false);
  const of = chosen || classes.patrons[0]?.[0] || "";
  const terms = useQuery({
    queryKey: ["item terms", i.id, of, me.branch],
    queryFn: () => told(api.GET("/api/items/{id}/terms", { params: { path: { id: i.id }, query: { class: of } } })),
    enabled: of !== "",
    placeholderData: (before) => before,
  });
  return (
    <Card label="Loan terms" className="grid gap-2 p-3.5">
      <Field label="Loan terms here, for">
        <select className={`${inputLook} w-52`} value={of} onChange={(e) => setChosen(e.target.value)}>
          {classes.patrons.map(([code, name]) => (
            <option key={code} value={code}>
              {name}
            </option>
          ))}
        </select>
      </Field>
      <Loading of={terms} lines={5}>
        {(t) => (
          <>
            <p className="font-semibold">{t.next}</p>
            <dl className="grid grid-cols-[auto_1fr_auto] gap-x-3 text-sm">
              {t.terms
                .filter((x) => all || first.includes(x.term))
                .map((x) => (
                  <div key={x.term} className="contents">
                    <dt className="text-ink-2">{x.name}</dt>
                    <dd>
                      {x.says} {x.term in i.own_terms && <Tag tone="plum">set on this item</Tag>}
                    </dd>
                    <dd className="text-right">
                      <Why trace={x.why}>Why</Why>
                    </dd>
                  </div>
                ))}
            </dl>
            <Quiet className="justify-self-start" onClick={() => setAll(!all)}>
              {all ? "Main terms" : "All terms"}
            </Quiet>
          </>
        )}
      </Loading>
    </Card>
  );
}
