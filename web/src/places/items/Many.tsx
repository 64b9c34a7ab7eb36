import { useState } from "react";
import { sayCount } from "../../ui/say";
import { useStore } from "zustand";
import { api, told, type Schema } from "../../api/client";
import { useClasses } from "../../circulation/classes";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Button, Card, Code, Empty, Field, inputLook, Quiet } from "../../ui/parts";
import { supervises } from "../../shell/places";
import { usePrompt } from "../../shell/scan";
import { ScanActs, sayState } from "../../shell/scans/lines";
import { useScans } from "../../shell/scans/scans";
import { Table } from "../../ui/table";
import { ChangeThem } from "./ChangeThem";
import { PrintLabels } from "./PrintLabels";
import { pile, type Piled } from "./session";
import { AnyOf, itemColumns, type Item } from "./stock";

type Search = Schema["StockItemSearch"];

const states = [
  ["in_use", "in use"],
  ["missing", "missing"],
  ["lost", "lost"],
  ["aside", "set aside"],
  ["damaged", "set aside, damaged"],
  ["repair", "in repair"],
  ["rebuy", "to replace"],
  ["withdrawn", "withdrawn"],
] as const;

const marks = [
  ["", "all"],
  ["labels", "label to print"],
  ["strays", "at another branch"],
  ["season", "temporary home branch"],
] as const;

const asides = ["damaged", "repair", "rebuy"];

/** What of a search says how items stand. */
const standsAs = (v: string) =>
  (asides.includes(v) ? { standing: "aside", aside_for: v } : { standing: v, aside_for: undefined }) as Search;

const itemsOf = (chosen: Item[] | "all" | "pile", piled: Piled[]): { id: number }[] =>
  chosen === "pile" ? piled : chosen === "all" ? [] : chosen;

/** Many items at once: those that are found or were scanned are changed, looked at first, or get their labels. */
export function Many() {
  usePrompt("Scan items to add them");
  const me = useMe();
  const piled = useStore(pile, (p) => p.items);
  const [search, setSearch] = useState<Search>({ branch: me.branch });
  const [chosen, setChosen] = useState<{ what: "change" | "labels"; items: Item[] | "all" | "pile" }>();
  const set = (by: Search) => {
    setChosen(undefined);
    setSearch(Object.fromEntries(Object.entries({ ...search, ...by }).filter(([, v]) => v)));
  };
  const any = Object.keys(search).length > 0;
  const list = usePages(
    ["items", "found", search],
    (after) => told(api.POST("/api/items-found", { params: { query: { after } }, body: search })),
    { enabled: any, keep: true },
  );
  const which =
    chosen &&
    (chosen.items === "all"
      ? { search }
      : { items: (chosen.items === "pile" ? piled : chosen.items).map((i) => i.id) });
  return (
    <>
      <Which search={search} onSet={set} />
      <Pile onChosen={(what) => setChosen({ what, items: "pile" })} />
      {chosen?.what === "labels" && (
        <Card label="Labels">
          <PrintLabels items={itemsOf(chosen.items, piled)} onLeave={() => setChosen(undefined)} />
        </Card>
      )}
      {chosen?.what === "change" && which && (
        <ChangeThem
          which={which}
          onLeave={() => setChosen(undefined)}
          onPull={(branch) => {
            setChosen(undefined);
            setSearch({ branch, at: me.branch, strays: true });
          }}
        />
      )}
      <Card label="Items">
        {!any ? (
          <Empty>Choose items by branch, collection or status, or scan them.</Empty>
        ) : (
          <Loading of={list}>
            {(rows) => (
              <>
                {supervises(me.role) && rows.length > 0 && (
                  <p className="border-b border-line px-3.5 py-1.5">
                    <Quiet onClick={() => setChosen({ what: "change", items: "all" })}>Change all results</Quiet>
                  </p>
                )}
                <Table
                  label="Items"
                  columns={itemColumns}
                  rows={rows}
                  id={(i) => i.id}
                  pages={list.pages}
                  tools
                  paper={search.strays ? `To take from the shelves at ${branchName(me)}, by shelf` : "Items"}
                  className="max-h-[58vh]"
                  acts={[
                    ...(supervises(me.role)
                      ? [
                          {
                            label: (c: Item[]) => `Change ${c.length}`,
                            run: (items: Item[]) => setChosen({ what: "change", items }),
                          },
                        ]
                      : []),
                    {
                      label: (c) => `Labels of ${c.length}`,
                      plain: true,
                      run: (items) => setChosen({ what: "labels", items }),
                    },
                  ]}
                  empty="No items match."
                />
              </>
            )}
          </Loading>
        )}
      </Card>
    </>
  );
}

/** Which items are meant. */
function Which({ search, onSet: set }: { search: Search; onSet: (by: Search) => void }) {
  const classes = useClasses();
  const [words, setWords] = useState("");
  const [begins, setBegins] = useState("");
  const mark = marks.find(([id]) => id && search[id])?.[0] ?? "";
  return (
    <form
      className="flex flex-wrap items-end gap-2.5"
      onSubmit={(e) => {
        e.preventDefault();
        set({ words: words.trim() || undefined, begins: begins.trim() || undefined });
      }}
    >
      <AnyOf
        label="Home branch"
        value={search.branch ?? ""}
        options={classes.branches}
        any="any branch"
        onChoose={(v) => set({ branch: v })}
      />
      <AnyOf
        label="Location"
        value={search.at ?? ""}
        options={classes.branches}
        any="any branch"
        onChoose={(v) => set({ at: v })}
      />
      <AnyOf
        label="Collection"
        value={search.collection ?? ""}
        options={classes.collections}
        onChoose={(v) => set({ collection: v })}
      />
      <AnyOf
        label="Material"
        value={search.material ?? ""}
        options={classes.materials}
        onChoose={(v) => set({ material: v })}
      />
      <AnyOf
        label="Status"
        value={search.aside_for ?? search.standing ?? ""}
        options={states}
        any="any except withdrawn"
        onChoose={(v) => set(standsAs(v))}
      />
      <AnyOf
        label="Only"
        value={mark}
        options={marks.slice(1)}
        any={marks[0][1]}
        onChoose={(v) => set({ labels: v === "labels", strays: v === "strays", season: v === "season" })}
      />
      <Field label="Call number starts with">
        <input
          className={`${inputLook} w-28`}
          maxLength={60}
          value={begins}
          onChange={(e) => setBegins(e.target.value)}
        />
      </Field>
      <Field label="Title">
        <input className={`${inputLook} w-48`} value={words} onChange={(e) => setWords(e.target.value)} />
      </Field>
      <Button plain type="submit">
        Search
      </Button>
    </form>
  );
}

/** What was scanned onto the pile. */
function Pile({ onChosen }: { onChosen: (what: "change" | "labels") => void }) {
  const me = useMe();
  const piled = useStore(pile, (p) => p.items);
  const odd = useScans("items", "many");
  if (piled.length === 0 && odd.length === 0) return null;
  return (
    <Card label="Scanned items" className="grid gap-1.5 p-3.5">
      <p className="flex flex-wrap items-center gap-2.5">
        <b className="font-semibold">{sayCount(piled.length, "item")} scanned</b>
        {supervises(me.role) && (
          <Button plain disabled={piled.length === 0} onClick={() => onChosen("change")}>
            Change scanned items
          </Button>
        )}
        <Button plain disabled={piled.length === 0} onClick={() => onChosen("labels")}>
          Print labels
        </Button>
        <Quiet onClick={() => pile.setState({ items: [] })}>Clear</Quiet>
      </p>
      <ul className="flex max-h-28 flex-wrap gap-x-4 overflow-auto text-sm">
        {piled.map((i) => (
          <li key={i.id}>
            <Code>{i.barcode}</Code> {i.title}{" "}
            <Quiet
              aria-label={`Remove ${i.title}`}
              onClick={() => pile.setState({ items: piled.filter((x) => x.id !== i.id) })}
            >
              remove
            </Quiet>
          </li>
        ))}
      </ul>
      <ul className="text-sm">
        {odd.map((s) => (
          <li key={s.id}>
            <Code>{s.text}</Code> {sayState(s)} <ScanActs scan={s} />
          </li>
        ))}
      </ul>
    </Card>
  );
}
