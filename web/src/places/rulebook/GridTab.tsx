import { useQuery } from "@tanstack/react-query";
import { sayCount } from "../../ui/say";
import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { Card, Quiet, Tag, Trouble } from "../../ui/parts";
import { useWhy } from "../../shell/why";
import { Change, type Cellular } from "./Change";
import { ChangeCells } from "./ChangeCells";
import { block, Grid, type Keep, type Spot } from "./Grid";
import { capital, dimensions, sayDimension, valuesOf, type Working } from "./types";

type Shown = Schema["RulesGrid"];

/** Which grid is looked at: a term, two dimensions against each other, the others fixed. */
interface Which {
  term: string;
  rows: string;
  columns: string;
  fixed: Record<string, string>;
}

const key = ([y, x]: Spot) => `${y},${x}`;
const spot = (k: string): Spot => {
  const [y = 0, x = 0] = k.split(",").map(Number);
  return [y, x];
};

/** One term in the cells of two dimensions, for any branch; cells of a draft are changed here, one or many at once. */
export function GridTab(props: Working) {
  const { edition } = props;
  const [which, setWhich] = useState<Which>({
    term: "loan_period",
    rows: "patron_class",
    columns: "material_class",
    fixed: {},
  });
  const given = Object.fromEntries(
    Object.entries(which.fixed).filter(([d, v]) => v && d !== which.rows && d !== which.columns),
  );
  const query = { edition: edition.id, term: which.term, rows: which.rows, columns: which.columns, ...given };
  const grid = useQuery({
    queryKey: ["grid", query, edition.revision],
    placeholderData: (old: Shown | undefined) => old,
    queryFn: () => told(api.GET("/api/rulebook/grid", { params: { query } })),
  });
  return (
    <Loading of={grid} lines={10}>
      {(shown) => (
        <Board
          key={`${which.rows} ${which.columns}`}
          {...props}
          shown={shown}
          which={which}
          given={given}
          file={new URLSearchParams(Object.entries(query).map(([k, v]) => [k, String(v)])).toString()}
          onWhich={setWhich}
        />
      )}
    </Loading>
  );
}

interface BoardProps extends Working {
  shown: Shown;
  which: Which;
  given: Record<string, string>;
  file: string;
  onWhich: (w: Which) => void;
}

/** The grid with what is chosen in it. */
function Board(props: BoardProps) {
  const { book, edition, shown, which, given } = props;
  const why = useWhy();
  const [at, setAt] = useState<Spot>([0, 0]);
  const [anchor, setAnchor] = useState<Spot>([0, 0]); // where choosing several began
  const [many, setMany] = useState<string[]>([]); // further chosen cells
  const [error, setError] = useState<unknown>();
  const chosen = [...new Set([key(at), ...many])];
  const term = book.terms.find((t) => t.id === which.term);
  const showWhy = (y: number, x: number) => {
    const [r, c] = [shown.rows[y], shown.columns[x]];
    if (!r || !c) return;
    const query = { edition: edition.id, term: which.term, ...given, [which.rows]: r.code, [which.columns]: c.code };
    void told(api.GET("/api/rulebook/why", { params: { query } })).then((t) => t && why.show(t), setError);
  };
  const move = (to: Spot, keep: Keep) => {
    setAt(to);
    if (keep === "extend") {
      setMany(block(anchor, to).map(key));
      return;
    }
    const k = key(to);
    if (keep === "one") setMany([]);
    else setMany(many.includes(k) ? many.filter((x) => x !== k) : [...chosen, k]);
    setAnchor(to);
  };
  const choose = (spots: Spot[]) => {
    const [first] = spots;
    if (!first) return;
    setMany(spots.map(key));
    setAt(first);
    setAnchor(first);
  };
  if (!term) return null;
  return (
    <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(0,1fr)_280px] print:block">
      <Card label="Grid" className="p-3.5">
        <Picks {...props} unit={which.term === "loan_period" ? "in days" : (term.unit ?? "")} />
        <Grid
          grid={shown}
          at={at}
          chosen={chosen}
          onMove={move}
          onChoose={choose}
          onWhy={showWhy}
          name={term.name}
          corner={capital(sayDimension(which.rows))}
        />
        <p className="mt-2 text-sm text-ink-2 print:hidden">
          Arrow keys move; with Shift they select several. Ctrl and click adds a cell; a heading selects the whole line.
          Enter shows why.
        </p>
      </Card>
      <div className="grid gap-3.5 print:hidden">
        <Trouble error={error} />
        <ChosenCells {...props} at={at} spots={chosen.map(spot)} onWhy={() => showWhy(...at)} />
      </div>
    </div>
  );
}

/** What the chosen cell says, and in a draft a way to change it. */
function ChosenCells({
  book,
  draft,
  supervising,
  shown,
  which,
  given,
  at,
  spots,
  onWhy,
}: BoardProps & { at: Spot; spots: Spot[]; onWhy: () => void }) {
  const [set, setSet] = useState<Schema["RulesCellsSet"]>();
  const row = shown.rows[at[0]];
  const column = shown.columns[at[1]];
  const cell = shown.cells[at[0]]?.[at[1]];
  const term = book.terms.find((t) => t.id === which.term);
  if (!row || !column || !cell || !term) return null;
  const branch = given.lending_branch;
  const simple = which.rows === "patron_class" && which.columns === "material_class" && spots.length === 1;
  const cellular: Cellular | undefined = simple
    ? {
        row,
        column,
        cell,
        term,
        branch: valuesOf(book, "lending_branch").find((b) => b.code === branch),
        zones: valuesOf(book, "zone"),
      }
    : undefined;
  return (
    <>
      <Card label={spots.length > 1 ? "Selected cells" : "Selected cell"} className="grid gap-3 p-3.5">
        {spots.length > 1 ? (
          <p className="text-2xl font-bold">{spots.length} cells</p>
        ) : (
          <>
            <div>
              <p className="text-sm text-ink-2">
                {row.name}, {column.name}
              </p>
              <p className="text-2xl font-bold">{cell.says}</p>
              {cell.was && <p className="text-sm text-ink-2">In force today: {cell.was}</p>}
              {cell.barred && <p className="text-sm text-buoy-700">Not lent: see “Lending allowed”.</p>}
            </div>
            <Quiet className="justify-self-start" data-why onClick={onWhy}>
              Why {cell.says}
            </Quiet>
          </>
        )}
        <p className="text-sm text-ink-2">{term.meaning}.</p>
        {draft && cellular && <Change at={cellular} draft={draft} />}
        {draft && !cellular && (
          <ChangeCells
            key={spots.map(key).join(" ")}
            draft={draft}
            term={term}
            cell={cell}
            grid={{ ...which, given, cells: spots.flatMap(([y, x]) => codes(shown, y, x)) }}
            where={Object.entries(given).map(([d, v]) => valuesOf(book, d).find((x) => x.code === v)?.name ?? v)}
            onSet={setSet}
          />
        )}
        {!draft && (
          <p className="text-sm text-ink-2">
            {supervising
              ? "Start a draft to change it. Nothing takes effect until the draft is put in force."
              : "Only supervisors change rules."}
          </p>
        )}
      </Card>
      {set && <Written set={set} />}
    </>
  );
}

const codes = (shown: Shown, y: number, x: number): string[][] => {
  const [r, c] = [shown.rows[y], shown.columns[x]];
  return r && c ? [[r.code, c.code]] : [];
};

/** What was written, and what does not follow. */
function Written({ set }: { set: Schema["RulesCellsSet"] }) {
  return (
    <Card label="Change saved" className="grid gap-2 p-3.5 text-sm">
      <p>
        <Tag tone="spruce">Saved</Tag> as {sayCount(set.rules.length, "rule")}:
      </p>
      <ul className="grid gap-1">
        {set.rules.map((r) => (
          <li key={r}>{r}</li>
        ))}
      </ul>
      {set.stay.length > 0 && (
        <>
          <p>
            <Tag tone="amber">Not affected</Tag> because a narrower rule applies:
          </p>
          <ul className="grid gap-1">
            {set.stay.map((r) => (
              <li key={r}>{r}</li>
            ))}
          </ul>
        </>
      )}
    </Card>
  );
}

/** What is looked at: the term, its two sides, and what the other dimensions are fixed to. */
function Picks({ book, edition, which, file, unit, onWhich }: BoardProps & { unit: string }) {
  const side = (of: "rows" | "columns", d: string) => {
    const other = of === "rows" ? "columns" : "rows";
    onWhich({ ...which, [of]: d, [other]: which[other] === d ? which[of] : which[other] });
  };
  const others = dimensions.filter((d) => d !== which.rows && d !== which.columns);
  return (
    <div className="mb-2 flex flex-wrap items-baseline gap-x-2 gap-y-1.5">
      <Pick
        label="Term"
        value={which.term}
        onChange={(term) => onWhich({ ...which, term })}
        options={book.terms.map((t) => [t.id, t.name])}
      />
      <Pick
        label="Rows"
        value={which.rows}
        onChange={(d) => side("rows", d)}
        options={dimensions.map((d) => [d, `by ${sayDimension(d)}`])}
      />
      <Pick
        label="Columns"
        value={which.columns}
        onChange={(d) => side("columns", d)}
        options={dimensions.map((d) => [d, `and ${sayDimension(d)}`])}
      />
      {others.map((d) => (
        <Pick
          key={d}
          label={d === "lending_branch" ? "Branch" : capital(sayDimension(d))}
          value={which.fixed[d] ?? ""}
          onChange={(v) => onWhich({ ...which, fixed: { ...which.fixed, [d]: v } })}
          options={[
            ["", d === "home_branch" ? "its own items" : `any ${sayDimension(d)}`],
            ...valuesOf(book, d).map((v): [string, string] => [v.code, v.name]),
          ]}
        />
      ))}
      <span className="text-sm text-ink-2">{unit}, striped where only the base rule applies</span>
      <span className="ml-auto flex gap-3 print:hidden">
        <a
          className="link"
          href={`/api/rulebook/editions/${edition.id}/grid.csv?${file}`}
          download={`grid-${edition.number}-${which.term}.csv`}
        >
          Export this grid as CSV
        </a>
        <a
          className="link"
          href={`/api/rulebook/editions/${edition.id}/review.csv`}
          download={`review-${edition.number}.csv`}
        >
          Export all terms as CSV
        </a>
        <Quiet onClick={() => window.print()}>Print</Quiet>
      </span>
    </div>
  );
}

function Pick({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string;
  options: [string, string][];
  onChange: (v: string) => void;
}) {
  return (
    <select
      aria-label={label}
      className="max-w-52 rounded border border-edge bg-sunk px-1.5 py-0.5 font-semibold"
      value={value}
      onChange={(e) => onChange(e.target.value)}
    >
      {options.map(([v, name]) => (
        <option key={v} value={v}>
          {name}
        </option>
      ))}
    </select>
  );
}
