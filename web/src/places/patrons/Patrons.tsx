import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { api, told } from "../../api/client";
import { FoundList, intoFound } from "../../circulation/found";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Button, Card, Empty, Field, Head, inputLook, Quiet } from "../../ui/parts";
import { isEmployed } from "../../shell/places";
import { usePrompt } from "../../shell/scan";
import { patronForgotten } from "../../shell/house";
import { useTop } from "../../ui/top";
import { useWords } from "../../ui/words";
import { Record } from "./Record";
import { SignUp, SignUps, WaitingSignUps } from "./SignUps";
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
    <Loading of={card}>{(c) => <Record card={c} again={() => void card.refetch()} onForgotten={forget} />}</Loading>
  );
}
