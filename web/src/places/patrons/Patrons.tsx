import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { FoundList, intoFound } from "../../circulation/found";
import { History } from "../../circulation/history";
import { Loading } from "../../ui/loading";
import { Loans } from "../../circulation/loans";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Button, Card, Empty, Field, Head, inputLook, Quiet } from "../../ui/parts";
import { PatronCard } from "../../circulation/patron";
import { isEmployed, supervises } from "../../shell/places";
import { usePrompt } from "../../shell/scan";
import { add } from "../../shell/scans/scans";
import { Account } from "./Account";
import { patronForgotten } from "../../shell/house";
import { useTop } from "../../ui/top";
import { useWords } from "../../ui/words";
import { Kept } from "./Kept";
import { ByHand, CardAndPin, Consents, Notes, Stands } from "./OnRecord";
import { Photograph } from "./Photograph";
import { Messages, Parts, Rosters } from "./Beside";
import { Merge } from "./Merge";
import { recordOf } from "./recordOf";
import { SignUp, SignUps, WaitingSignUps } from "./SignUps";
import { AtAScan } from "../../circulation/atscan";
import { Bills, Gives } from "./Gives";
import { Told } from "./Told";
import { ChangeRecord, Join } from "./WriteRecord";

/** Finding a patron, and all that is known of one. */
export function PatronsPlace() {
  const { words, patron, form, household, tab, signup } = useSearch({ from: "/patrons" });
  usePrompt("Scan a card, or type a name");
  if (form === "new") return <Join key={household} household={household} />;
  if (form === "change" && patron) return <ChangeRecord key={patron} id={patron} />;
  if (signup) return <SignUp key={signup} id={signup} />;
  if (tab === "sign-ups") return <SignUps />;
  return patron ? <One key={patron} id={patron} /> : <Find words={words ?? ""} />;
}

function Find({ words }: { words: string }) {
  const me = useMe();
  const navigate = useNavigate();
  const [typed, setTyped] = useWords(
    words,
    (found) => void navigate({ to: "/patrons", search: { words: found || undefined }, replace: true }),
  );
  const list = usePages(
    ["patrons", words],
    (after) => told(api.GET("/api/patrons", { params: { query: { words, after } } })),
    { enabled: words.length > 1, keep: true },
  );
  return (
    <div className="grid max-w-4xl gap-3.5" data-finding>
      <Head title="Patrons" says="Find, register and edit patrons. Searches include inactive and excluded cards.">
        {isEmployed(me.role) && (
          <>
            <Button onClick={() => void navigate({ to: "/patrons", search: { form: "new" } })}>
              Register somebody
            </Button>
            <WaitingSignUps />
          </>
        )}
      </Head>
      <Field label="Name, number, phone, email or birth date such as 1984-03-09">
        <input
          className={`${inputLook} h-10 text-lg`}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          onKeyDown={(e) => {
            if (typed.trim() === words && !list.isFetching) intoFound(e); // never into what was found for other words
          }}
        />
      </Field>
      <Card label="Patrons found" className="max-h-[66vh] overflow-auto">
        {words.length < 2 ? (
          <Empty>Type at least two letters. All words must match the name, in any order.</Empty>
        ) : (
          <Loading of={list}>
            {(rows) => (
              <>
                <FoundList found={rows} onOpen={(f) => void navigate({ to: "/patrons", search: { patron: f.id } })} />
                {list.pages.hasMore && (
                  <p className="border-t border-line px-4 py-2 text-sm">
                    {rows.length} shown, and there are more. <Quiet onClick={list.pages.fetchMore}>Show more</Quiet>
                  </p>
                )}
              </>
            )}
          </Loading>
        )}
      </Card>
    </div>
  );
}

function One({ id }: { id: number }) {
  useTop();
  const queries = useQueryClient();
  const [forgotten, setForgotten] = useState<string>();
  const card = useQuery({
    queryKey: ["patron", id],
    enabled: !forgotten,
    queryFn: () => told(api.GET("/api/patrons/{id}", { params: { path: { id } } })),
  });
  if (forgotten)
    return (
      <div className="grid gap-3.5">
        <Head title="Data deleted" />
        <p role="status">
          {forgotten}{" "}
          <Link to="/patrons" search={{}} className="link">
            Search again
          </Link>
        </p>
      </div>
    );
  const forget = (says: string) => {
    setForgotten(says);
    void patronForgotten(queries, id);
  };
  return (
    <Loading of={card}>{(c) => <Shown card={c} again={() => void card.refetch()} onForgotten={forget} />}</Loading>
  );
}

/** The others of a household, each a way to their record. */
function Household({ id }: { id: number }) {
  const record = useQuery(recordOf(id));
  const members = record.data?.members ?? [];
  if (members.length === 0) return null;
  return (
    <Card label="Household" id="household" className="p-3.5">
      <h2 className="font-semibold">Household</h2>
      <ul className="grid gap-1">
        {members.map((m) => (
          <li key={m.id}>
            <Link to="/patrons" search={{ patron: m.id }} className="link">
              {m.name}
            </Link>{" "}
            <span className="text-sm text-ink-2">
              {m.class}
              {m.answers_for_all && ", main contact"}
              {m.standing !== "active" && `, ${m.standing}`}
            </span>
          </li>
        ))}
      </ul>
      {record.data?.guardian && <p className="mt-1 text-sm text-ink-2">Guardian: {record.data.guardian}</p>}
    </Card>
  );
}

/** Their holds, each a way to the queue of its title. */
function Holds({ patron, holds }: { patron: number; holds: Schema["PeopleHeld"][] }) {
  return (
    <Card label="Holds">
      <div className="flex items-baseline justify-between px-3.5 py-2">
        <h2 className="font-semibold">Holds</h2>
        <Link to="/holds" search={{ patron }} className="link text-sm">
          Place hold
        </Link>
      </div>
      {holds.length === 0 && <p className="border-t border-line px-3.5 py-1.5 text-ink-2">No holds.</p>}
      <ul className="divide-y divide-line border-t border-line empty:hidden">
        {holds.map((h) => (
          <li key={h.id} className="flex flex-wrap items-baseline gap-x-3 px-3.5 py-1.5">
            <Link to="/holds" search={{ title: h.title_id }} className="link font-semibold">
              {h.title}
            </Link>
            <span className={h.state === "ready" ? "text-spruce-700" : "text-ink-2"}>{h.says}</span>
          </li>
        ))}
      </ul>
    </Card>
  );
}

function Shown({
  card,
  again,
  onForgotten,
}: {
  card: Schema["PeopleCard"];
  again: () => void;
  onForgotten: (says: string) => void;
}) {
  const me = useMe();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const changes = {
    card,
    onCard: (c: Schema["PeopleCard"]) => {
      queries.setQueryData(["patron", card.id], c);
      void queries.invalidateQueries({ queryKey: ["history"] });
    },
    onStale: () => {
      again();
      void queries.invalidateQueries({ queryKey: ["history"] });
    },
  };
  return (
    <div className="grid gap-3.5">
      <Head
        title={card.legal_name}
        says={`${card.class}, ${card.branch}. ${[card.address, card.phone].filter(Boolean).join(", ")}`}
      >
        <Button
          onClick={() => {
            add("desk", card.card);
            void navigate({ to: "/desk", search: {} });
          }}
        >
          Open at the Desk
        </Button>
        {isEmployed(me.role) && (
          <>
            <Button
              plain
              onClick={() => void navigate({ to: "/patrons", search: { patron: card.id, form: "change" } })}
            >
              Edit record
            </Button>
            <Button
              plain
              onClick={() => void navigate({ to: "/patrons", search: { form: "new", household: card.id } })}
            >
              Add household member
            </Button>
          </>
        )}
        <Button plain onClick={() => void navigate({ to: "/patrons", search: {} })}>
          Search again
        </Button>
      </Head>
      {isEmployed(me.role) && <AtAScan {...changes} />}
      <div className="grid items-start gap-3.5 lg:grid-cols-[300px_minmax(0,1fr)]">
        <div className="grid gap-3.5">
          <PatronCard {...changes} />
          {isEmployed(me.role) && <Kept card={card} onCard={changes.onCard} onForgotten={onForgotten} />}
        </div>
        <div className="grid gap-3.5">
          {card.on_loan.length > 0 && (
            <Card label="On loan">
              <h2 className="px-3.5 py-2 font-semibold">On loan</h2>
              <Loans {...changes} />
            </Card>
          )}
          {!card.reduced && <Holds patron={card.id} holds={card.holds} />}
          {isEmployed(me.role) && (
            <>
              <div className="grid items-start gap-3.5 xl:grid-cols-2">
                <div className="grid gap-3.5">
                  <Notes {...changes} />
                  <Consents {...changes} />
                  <Photograph {...changes} />
                  <Told {...changes} />
                  <Gives {...changes} />
                  <Bills {...changes} />
                </div>
                <div className="grid gap-3.5">
                  <Stands {...changes} />
                  <CardAndPin {...changes} />
                  <ByHand card={card} onCharged={changes.onStale} />
                  <Household id={card.id} />
                  <Rosters id={card.id} />
                </div>
              </div>
              <Account patron={card.id} onStale={changes.onStale} />
              <Messages id={card.id} />
              <Parts id={card.id} />
              {supervises(me.role) && <Merge card={card} />}
            </>
          )}
          {isEmployed(me.role) && (
            <History
              patron={card.id}
              says={card.history_seen ? undefined : `Past loans are not shown: ${card.name} has not shared them.`}
            />
          )}
        </div>
      </div>
    </div>
  );
}
