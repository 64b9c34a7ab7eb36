import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { api, told } from "../../api/client";
import { History } from "../../kit/history";
import { useMe } from "../../kit/me";
import { usePages } from "../../kit/pages";
import { Button, Card, Empty, Field, Head, inputLook, Loading, Trouble } from "../../kit/parts";
import { useScanPlace } from "../../kit/scan";
import { FoundList } from "../desk/Desk";
import { Loans, PatronCard } from "../desk/PatronCard";

/** Finding a patron, and all that is known of one. */
export function PatronsPlace() {
  const { words, patron } = useSearch({ from: "/patrons" });
  const navigate = useNavigate();
  const [typed, setTyped] = useState(words ?? "");
  useEffect(() => setTyped(words ?? ""), [words]);
  useEffect(() => {
    const timer = setTimeout(() => {
      if (typed !== (words ?? "")) void navigate({ to: "/patrons", search: { words: typed || undefined } });
    }, 250);
    return () => clearTimeout(timer);
  }, [typed, words, navigate]);
  const found = usePages(
    ["patrons", words],
    (after) => told(api.GET("/api/patrons", { params: { query: { words: words!, after } } })),
    { enabled: (words ?? "").length > 1 && !patron },
  );
  useScanPlace({
    prompt: "Scan a card, or type a name",
    people: true,
    onScan: (text) =>
      /^\d[\d -]{9,}$/.test(text)
        ? void navigate({ to: "/desk", search: { scan: text } })
        : void navigate({ to: "/patrons", search: { words: text } }),
  });
  if (patron) return <One id={patron} />;
  return (
    <div className="grid max-w-4xl gap-3.5">
      <Head title="Patrons" says="Search first, everywhere: inactive and excluded cards are found too." />
      <Field label="Name, card number or mail address">
        <input className={`${inputLook} h-10 text-lg`} value={typed} onChange={(e) => setTyped(e.target.value)} />
      </Field>
      <Trouble error={found.error} />
      {found.rows ? (
        <FoundList
          found={found.rows}
          more={found.more}
          onOpen={(f) => void navigate({ to: "/patrons", search: { patron: f.id } })}
        />
      ) : (
        <Card>
          {found.isFetching ? (
            <Loading />
          ) : (
            <Empty>Type at least two letters. Every word must be in the name, in any order.</Empty>
          )}
        </Card>
      )}
    </div>
  );
}

function One({ id }: { id: number }) {
  const me = useMe().data!;
  const queries = useQueryClient();
  const navigate = useNavigate();
  const card = useQuery({
    queryKey: ["patron", id],
    queryFn: () => told(api.GET("/api/patrons/{id}", { params: { path: { id } } })),
  });
  if (card.error) return <Trouble error={card.error} />;
  if (!card.data) return <Loading />;
  const c = card.data;
  const change = (next?: typeof c) => {
    if (next) queries.setQueryData(["patron", id], next);
    else void card.refetch();
    void queries.invalidateQueries({ queryKey: ["history"] });
  };
  return (
    <div className="grid gap-3.5">
      <Head title={c.legal_name} says={`${c.class}, ${c.branch}. ${c.address}${c.phone && `, ${c.phone}`}`}>
        <Button onClick={() => void navigate({ to: "/desk", search: { scan: c.card } })}>Open at the desk</Button>
        <Button plain onClick={() => void navigate({ to: "/patrons", search: {} })}>
          Find another
        </Button>
      </Head>
      <div className="grid grid-cols-[300px_minmax(0,1fr)] items-start gap-3.5">
        <div className="grid gap-3.5">
          <PatronCard card={c} onChange={change} />
          {c.on_loan!.length > 0 && (
            <Card label="On loan">
              <h2 className="px-3.5 py-2 font-semibold">On loan</h2>
              <Loans card={c} onChange={change} />
            </Card>
          )}
        </div>
        {me.role !== "volunteer" && <History patron={id} />}
      </div>
    </div>
  );
}
