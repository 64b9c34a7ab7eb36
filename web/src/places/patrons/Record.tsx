import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { History } from "../../circulation/history";
import { Loans } from "../../circulation/loans";
import { PatronCard } from "../../circulation/patron";
import { useMe } from "../../shell/me";
import { isEmployed, supervises } from "../../shell/places";
import { add } from "../../shell/scans/scans";
import { More } from "../../ui/menu";
import { Button, Card, Tabs } from "../../ui/parts";
import { Account } from "./Account";
import { Messages, Parts, Rosters } from "./Beside";
import { Bills, Gives } from "./Gives";
import { Kept } from "./Kept";
import { Merge } from "./Merge";
import { ByHand, CardAndPin, Consents, Notes, Stands } from "./OnRecord";
import { Photograph } from "./Photograph";
import { recordOf } from "./recordOf";
import { Told } from "./Told";

type CardOf = Schema["PeopleCard"];

const groups = [
  ["now", "Loans and holds"],
  ["account", "Account"],
  ["record", "Record"],
  ["notices", "Notices and consents"],
  ["history", "History"],
] as const;

/** All that is known of one patron: who it is and what they owe at the left, the rest in groups, each thing once. */
export function Record({
  card,
  again,
  onForgotten,
}: {
  card: CardOf;
  again: () => void;
  onForgotten: (says: string) => void;
}) {
  const me = useMe();
  const askAgain = useAskAgain();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { group } = useSearch({ from: "/patrons" });
  const [payIn, setPayIn] = useState<HTMLElement | null>(null);
  const employed = isEmployed(me.role);
  const offered = employed ? groups : groups.slice(0, 1);
  const chosen = offered.find(([id]) => id === group)?.[0] ?? "now";
  const changes = {
    card,
    onCard: (c: CardOf) => {
      queries.setQueryData(["patron", card.id], c);
      askAgain("history");
    },
    onStale: () => {
      again();
      askAgain("history");
    },
  };
  return (
    <div className="grid items-start gap-3.5 lg:grid-cols-[300px_minmax(0,1fr)]">
      <title>{`${card.name}, patron – Nevrin`}</title>
      <PatronCard {...changes} payIn={payIn} onRecord />
      <div className="grid gap-3.5">
        <div className="flex flex-wrap items-center gap-2 print:hidden">
          <Button
            onClick={() => {
              add("desk", card.card);
              void navigate({ to: "/desk", search: {} });
            }}
          >
            Open at the Desk
          </Button>
          {employed && (
            <>
              <Button
                plain
                onClick={() => void navigate({ to: "/patrons", search: { patron: card.id, form: "change" } })}
              >
                Edit record
              </Button>
              <More
                of={card.name}
                acts={[
                  {
                    name: "Add household member",
                    run: () => void navigate({ to: "/patrons", search: { form: "new", household: card.id } }),
                  },
                  {
                    name: "Place hold",
                    run: () => void navigate({ to: "/holds", search: { patron: card.id } }),
                  },
                ]}
              />
            </>
          )}
          <Link to="/patrons" search={{}} className="link ml-auto text-sm">
            Search again
          </Link>
        </div>
        <div ref={setPayIn} className="empty:hidden" />
        {offered.length > 1 && (
          <Tabs
            label="Parts of the record"
            tabs={offered}
            chosen={chosen}
            onChoose={(id) => void navigate({ to: "/patrons", search: { patron: card.id, group: id }, replace: true })}
          />
        )}
        {chosen === "now" && <Now {...changes} />}
        {chosen === "account" && (
          <>
            <div className="grid items-start gap-3.5 xl:grid-cols-2">
              <ByHand card={card} onCharged={changes.onStale} />
              <Bills {...changes} />
            </div>
            <Account patron={card.id} onStale={changes.onStale} />
          </>
        )}
        {chosen === "record" && <OnPaper {...changes} />}
        {chosen === "notices" && (
          <>
            <div className="grid items-start gap-3.5 xl:grid-cols-2">
              <div className="grid gap-3.5">
                <Told {...changes} />
                <Gives {...changes} />
                <Consents {...changes} />
              </div>
              <Kept card={card} onCard={changes.onCard} onForgotten={onForgotten} />
            </div>
            <Messages id={card.id} />
          </>
        )}
        {chosen === "history" && (
          <History
            patron={card.id}
            says={card.history_seen ? undefined : `Past loans are not shown: ${card.name} has not shared them.`}
          />
        )}
      </div>
    </div>
  );
}

interface Changes {
  card: CardOf;
  onCard: (c: CardOf) => void;
  onStale: () => void;
}

/** What they have, wait for, and what staff noted: what a call or a question at the counter is about. */
function Now(changes: Changes) {
  const { card } = changes;
  return (
    <>
      <Card label="On loan">
        <h2 className="px-3.5 py-2 font-semibold">On loan</h2>
        {card.on_loan.length > 0 ? (
          <Loans {...changes} />
        ) : (
          <p className="border-t border-line px-3.5 py-1.5 text-ink-2">Nothing on loan.</p>
        )}
      </Card>
      {!card.reduced && <Holds patron={card.id} holds={card.holds} />}
      {isEmployed(useMe().role) && <Notes {...changes} />}
    </>
  );
}

/** Status, card, photograph, and the records that belong to this one. */
function OnPaper(changes: Changes) {
  const { card } = changes;
  const me = useMe();
  return (
    <div className="grid items-start gap-3.5 xl:grid-cols-2">
      <div className="grid gap-3.5">
        <Stands {...changes} />
        <CardAndPin {...changes} />
        <Photograph {...changes} />
      </div>
      <div className="grid gap-3.5">
        <Household id={card.id} />
        <Rosters id={card.id} />
        <Parts id={card.id} />
        {supervises(me.role) && <Merge card={card} />}
      </div>
    </div>
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
