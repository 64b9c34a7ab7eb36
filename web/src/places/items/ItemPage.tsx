import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, told } from "../../api/client";
import { History } from "../../circulation/history";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Button, Card, Code, Head, Trouble } from "../../ui/parts";
import { isEmployed } from "../../shell/places";
import { sayDate, sayMoney } from "../../ui/say";
import { useTop } from "../../ui/top";
import { ItemRecord } from "./ItemRecord";
import { ItemTerms } from "./ItemTerms";
import { Looks } from "./Looks";
import { PrintLabels } from "./PrintLabels";
import { Status } from "./Status";
import { Where, type Item } from "./stock";

/** One item: where it is, whose, what is on record of it, what terms it gets, and what happened to it. */
export function ItemPage({ item, code }: { item?: number; code?: string }) {
  useTop();
  const found = useQuery({
    queryKey: ["items", "one", item, code],
    queryFn: () => told(api.GET("/api/items", { params: { query: { item, barcode: code } } })),
  });
  return (
    <Loading of={found}>
      {(part) => {
        const i = part.rows[0];
        return i ? <OfItem item={i} /> : <None code={code ?? item ?? ""} />;
      }}
    </Loading>
  );
}

const None = ({ code }: { code: string | number }) => (
  <div className="grid gap-3.5">
    <Head title="Items" />
    <Trouble error={`No item has the number ${code}. Check for a missing or doubled digit.`} />
  </div>
);

function OfItem({ item: i }: { item: Item }) {
  const me = useMe();
  const navigate = useNavigate();
  const may = isEmployed(me.role);
  const [label, setLabel] = useState(false);
  return (
    <div className="grid gap-3.5">
      <Head title={i.title} says={i.author}>
        <Button plain onClick={() => void navigate({ to: "/items", search: { title: i.title_id } })}>
          All copies
        </Button>
        {may && (
          <>
            <Button plain aria-expanded={label} onClick={() => setLabel(!label)}>
              Print label
            </Button>
            <Button onClick={() => void navigate({ to: "/holds", search: { title: i.title_id } })}>Place a hold</Button>
          </>
        )}
      </Head>
      {label && (
        <Card label="Label">
          <PrintLabels items={[i]} onLeave={() => setLabel(false)} />
        </Card>
      )}
      <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
        <Facts item={i} />
        <ItemTerms key={i.revision} item={i} />
      </div>
      {may && <Status item={i} />}
      {may && <ItemRecord item={i} />}
      {may && (i.standing === "missing" || i.standing === "lost" || i.tone === "out") && <Looks item={i} />}
      {may && (
        <History
          item={i.id}
          says="Earlier borrowers are named only while money is owed, and the last one while the item is damaged or missing."
        />
      )}
    </div>
  );
}

function Facts({ item: i }: { item: Item }) {
  const facts: [string, string][] = [
    ["Home branch", i.season ? `${i.home} ${i.season}` : i.home],
    ["Shelf", [i.collection, i.call_number].filter(Boolean).join(", ")],
    ["Material class", i.material],
    ["Price", i.price ? sayMoney(i.price) : "unknown"],
    ["Parts", i.parts > 1 || i.parts_say ? `${i.parts}${i.parts_say && `: ${i.parts_say}`}` : ""],
    ["Edition", i.edition],
    ["Volume", i.volume],
    ["Condition", i.condition],
    ["Added", sayDate(i.added_on)],
  ];
  return (
    <Card label="Copy" className="grid gap-1.5 p-3.5">
      <p className="flex flex-wrap items-baseline gap-x-3">
        <b className="text-lg">
          <Code>{i.barcode}</Code>
        </b>
        {i.label_waits && <span className="text-sm text-amber-700">label not printed yet</span>}
      </p>
      <div>
        <Where item={i} />
        {i.patron_id !== undefined && (
          <>
            {" "}
            <Link to="/patrons" search={{ patron: i.patron_id }} className="link">
              Borrower
            </Link>
          </>
        )}
      </div>
      <dl className="grid grid-cols-[auto_1fr] gap-x-3">
        {facts
          .filter(([, says]) => says)
          .map(([what, says]) => (
            <div key={what} className="contents">
              <dt className="text-ink-2">{what}</dt>
              <dd>{says}</dd>
            </div>
          ))}
      </dl>
    </Card>
  );
}
