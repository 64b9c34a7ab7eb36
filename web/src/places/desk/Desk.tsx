import { useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import clsx from "clsx";
import { useCallback, useEffect, useRef, useState } from "react";
import { api, newKey, Problem, surely, told, type Schema } from "../../api/client";
import { Button, Card, Code, Empty, Head, inputLook, Quiet, Tag, type Tone } from "../../kit/parts";
import { useScanning, useScanPlace } from "../../kit/scan";
import { play } from "../../kit/sound";
import { useWhy, Why } from "../../kit/why";
import { PatronCard, withLine, withoutLoan } from "./PatronCard";

type Result = Schema["DeskResult"];
type CardOf = Schema["PeopleCard"];

interface Entry {
  id: number;
  text: string;
  result?: Result;
  answered?: string;
  past?: string[];
  undone?: boolean;
}

const tones: Record<Result["kind"], [Tone, string]> = {
  card: ["plain", "Card"],
  lent: ["spruce", "Lent"],
  ask: ["amber", "Needs an answer"],
  refused: ["buoy", "Not lent"],
  wrong: ["buoy", "Wrong"],
  found: ["plain", "Found"],
};

/** The desk: a card, then items, one after another. Scans are taken in order and never stop for a question. */
export function DeskPlace() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { scan } = useSearch({ from: "/desk" });
  const why = useWhy();
  const { input } = useScanning();
  const [card, setCard] = useState<CardOf>();
  const [tape, setTape] = useState<Entry[]>([]);
  const [found, setFound] = useState<Schema["PeopleFound"][]>();
  const [moreFound, setFoundMore] = useState<{ words: string; after: string }>();
  const patron = useRef(0);
  const counter = useRef(0);
  const line = useRef(Promise.resolve());

  const change = (id: number, by: Partial<Entry>) => setTape((t) => t.map((e) => (e.id === id ? { ...e, ...by } : e)));
  const open = useCallback((c?: CardOf) => {
    patron.current = c?.id ?? 0;
    setCard(c);
    setFound(undefined);
  }, []);

  /** Looks at the open card again, after more of it has changed than one loan. */
  const again = useCallback(async () => {
    const id = patron.current;
    if (!id) return;
    const fresh = await told(api.GET("/api/patrons/{id}", { params: { path: { id } } })).catch(() => undefined);
    if (fresh && fresh.id === patron.current) setCard(fresh);
  }, []);

  const take = useCallback(
    async (id: number, text: string, past?: string[], reason?: string) => {
      const key = newKey();
      let result: Result;
      try {
        const body = { text, patron: patron.current || undefined, past, reason };
        result = await surely(() => api.POST("/api/desk/scan", { params: { header: key }, body }));
      } catch (e) {
        result = { kind: "wrong", text: (e as Problem).message, filled: false, stale: false };
      }
      play(
        result.kind === "lent" || result.kind === "card"
          ? "done"
          : result.kind === "ask" || result.kind === "found"
            ? "ask"
            : "wrong",
      );
      if (result.kind === "card" && result.card) {
        if (result.card.id !== patron.current) setTape([]);
        open(result.card);
        return;
      }
      if (result.kind === "found") {
        setFound(result.found ?? []);
        setFoundMore(result.more ? { words: text, after: result.more } : undefined);
        setTape((t) => t.filter((e) => e.id !== id));
        return;
      }
      const line = result.line;
      if (line) setCard((c) => (c?.id === result.patron ? withLine(c!, line) : c));
      if (result.stale && result.patron === patron.current) void again();
      change(id, { result });
      void queries.invalidateQueries({ queryKey: ["today"] });
    },
    [open, queries, again],
  );

  const onScan = useCallback(
    (text: string) => {
      const id = ++counter.current;
      setTape((t) => [{ id, text }, ...t]);
      line.current = line.current.then(() => take(id, text));
    },
    [take],
  );

  const opened = useRef("");
  useEffect(() => {
    if (scan && opened.current !== scan) {
      opened.current = scan;
      onScan(scan);
      void navigate({ to: "/desk", search: {}, replace: true });
    }
  }, [scan, onScan, navigate]);

  const ask = tape.find((e) => e.result?.kind === "ask" && !e.answered);
  const [reason, setReason] = useState("");
  const [needsReason, setNeedsReason] = useState(false);
  const answer = (e: Entry, choice: Schema["DeskChoice"]) => {
    if (choice.answer === "leave") {
      change(e.id, { answered: choice.label, result: { ...e.result!, kind: "refused" } });
      return;
    }
    if (choice.reason && !reason.trim()) {
      setNeedsReason(true);
      return;
    }
    // What was seen before stays gone past, should a further question come up.
    const past = [...(e.past ?? []), ...(e.result!.stops ?? [])];
    change(e.id, { past });
    line.current = line.current.then(() => take(e.id, e.text, past, reason));
    setReason("");
    setNeedsReason(false);
  };

  const finish = useCallback(() => {
    open(undefined);
    setTape([]);
    input.current?.focus();
  }, [open, input]);

  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.key === "Escape" && !why.open && !e.defaultPrevented) finish();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [finish, why.open]);

  useScanPlace({
    prompt: card
      ? `Scan an item to lend to ${card.name.split(" ")[0]}, or another card`
      : "Scan a card, or type a name",
    onScan,
    people: true,
    onKey: (key) => {
      const choice = ask?.result?.asks?.[Number(key) - 1];
      if (!ask || !choice) return false;
      answer(ask, choice);
      return true;
    },
  });

  const undo = async (e: Entry) => {
    try {
      const loan = e.result!.line!.loan_id;
      const key = newKey();
      const undone = await surely(() =>
        api.POST("/api/loans/{id}/undo", { params: { path: { id: loan }, header: key } }),
      );
      setCard((c) => (c?.id === undone.patron ? withoutLoan(c, loan) : c));
      if (undone.stale) void again();
      change(e.id, { undone: true });
      play("done");
    } catch (problem) {
      change(e.id, {
        result: {
          kind: "wrong",
          text: (problem as Problem).message,
          filled: false,
          stale: false,
          item: e.result?.item,
        },
      });
      play("wrong");
    }
  };

  const foundMore = moreFound && (
    <p className="border-t border-line px-4 py-2 text-sm">
      There are more.{" "}
      <Quiet
        onClick={() =>
          void told(api.GET("/api/patrons", { params: { query: moreFound } })).then((part) => {
            setFound((f) => [...(f ?? []), ...part.rows!]);
            setFoundMore(part.next ? { words: moreFound.words, after: part.next } : undefined);
          })
        }
      >
        Show more
      </Quiet>
    </p>
  );
  return (
    <div className="grid gap-3.5">
      {!card && <Head title="Desk" says="Scan a card to begin, or type a name to find the patron." />}
      <div className={clsx("grid items-start gap-3.5", card ? "grid-cols-[286px_minmax(0,1fr)_262px]" : "grid-cols-1")}>
        {card && <PatronCard card={card} onChange={(c) => (c ? setCard(c) : void again())} />}
        <div className="grid gap-3.5">
          {found && <FoundList found={found} more={foundMore} onOpen={(f) => onScan(f.card)} />}
          <Card label="Tape">
            <ul className="divide-y divide-line" aria-live="polite">
              {tape.map((e) => (
                <TapeLine key={e.id} entry={e} patron={card?.id ?? 0} onUndo={() => void undo(e)}>
                  {e === ask && (
                    <div className="mt-2 flex flex-wrap gap-2">
                      {e.result!.asks!.map((c, k) => (
                        <Button key={c.answer} plain={k > 0} hint={String(k + 1)} onClick={() => answer(e, c)}>
                          {c.label}
                        </Button>
                      ))}
                      {e.result!.asks!.some((c) => c.reason) && (
                        <input
                          aria-label="Reason for going past the stop"
                          placeholder={needsReason ? "Say why first: going past a stop needs a reason" : "Reason"}
                          aria-invalid={needsReason}
                          value={reason}
                          onChange={(ev) => setReason(ev.target.value)}
                          className={`${inputLook} flex-1`}
                        />
                      )}
                    </div>
                  )}
                </TapeLine>
              ))}
              {tape.length === 0 && (
                <li>
                  <Empty>
                    {card
                      ? "Nothing scanned yet. What you scan now is lent to " + card.name + "."
                      : "What is scanned stands here, newest first."}
                  </Empty>
                </li>
              )}
            </ul>
          </Card>
        </div>
        {card && <Tell card={card} onFinish={finish} />}
      </div>
    </div>
  );
}

function TapeLine({
  entry,
  patron,
  onUndo,
  children,
}: {
  entry: Entry;
  patron: number;
  onUndo: () => void;
  children: React.ReactNode;
}) {
  const r = entry.result;
  const [tone, word] = r ? tones[r.kind] : (["plain", "…"] as [Tone, string]);
  return (
    <li
      className={clsx(
        "px-3.5 py-2.5",
        r?.kind === "ask" && !entry.answered && "slant-soft",
        entry.undone && "opacity-60",
      )}
    >
      <div className="flex items-start gap-3">
        <div className="min-w-0 flex-1">
          <p className={clsx("text-base font-semibold", entry.undone && "line-through")}>
            {r?.line?.title ?? r?.item?.title ?? entry.text}
          </p>
          <p className="text-sm text-ink-2">
            {r?.kind === "lent" && r.line ? (
              <>
                Due{" "}
                <b className="font-semibold text-ink" title={r.line.due_exact}>
                  {r.line.due}
                </b>{" "}
                · <Code>{r.line.barcode}</Code> · {r.line.owner}
                {r.line.call_number && `, ${r.line.call_number}`} · {r.line.material} ·{" "}
                <Why trace={r.why}>Why {r.line.period}</Why>
              </>
            ) : (
              <>
                {r?.text ?? "Being looked up …"} {r?.why && <Why trace={r.why}>Why</Why>}{" "}
                {r?.why && r.item && patron > 0 && (
                  <Link
                    to="/rulebook"
                    search={{ item: r.item.id, patron }}
                    className="border-b border-dotted border-spruce-500 text-spruce-700"
                  >
                    Terms and classes
                  </Link>
                )}
              </>
            )}
          </p>
          {r?.before && !entry.undone && <p className="text-sm text-amber-700">{r.before}</p>}
          {children}
        </div>
        <div className="flex flex-none flex-col items-end gap-1 text-sm">
          <Tag tone={entry.undone ? "plain" : r?.filled ? "tide" : tone}>
            {entry.undone ? "Undone" : r?.filled ? "From hold shelf" : word}
          </Tag>
          {r?.line?.price && !entry.undone && <span className="tabular-nums text-ink-2">${r.line.price}</span>}
          {r?.kind === "lent" && !entry.undone && <Quiet onClick={onUndo}>Undo</Quiet>}
        </div>
      </div>
    </li>
  );
}

export function FoundList({
  found,
  more,
  onOpen,
}: {
  found: Schema["PeopleFound"][];
  more?: React.ReactNode;
  onOpen: (f: Schema["PeopleFound"]) => void;
}) {
  return (
    <Card label="Patrons found">
      {found.length === 0 ? (
        <Empty>Nobody has all of these words in a name, card number or mail address.</Empty>
      ) : (
        <ul className="max-h-[60vh] divide-y divide-line overflow-auto">
          {found.map((f) => (
            <li key={f.id}>
              <button
                type="button"
                onClick={() => onOpen(f)}
                className="flex w-full cursor-pointer items-baseline gap-3 px-4 py-2 text-left hover:bg-spruce-100"
              >
                <b className="font-semibold">{f.name}</b>
                <Code>{f.card}</Code>
                <span className="text-ink-2">
                  {f.class}, {f.branch}
                </span>
                {f.standing !== "active" && <Tag tone="buoy">{f.standing}</Tag>}
              </button>
            </li>
          ))}
        </ul>
      )}
      {more}
    </Card>
  );
}

const tellLooks: Record<string, string> = {
  late: "border-buoy-500",
  ready: "border-amber-500",
  coming: "border-tide-500",
  note: "border-line-strong",
};

function Tell({ card, onFinish }: { card: CardOf; onFinish: () => void }) {
  return (
    <Card label={`Tell ${card.name}`}>
      <h2 className="border-b border-line px-4 py-2.5 font-semibold">Tell {card.name.split(" ")[0]}</h2>
      <ul className="max-h-[55vh] overflow-auto">
        {card.tells!.map((t, k) => (
          <li key={k} className={`border-b border-l-4 border-b-line px-3.5 py-2.5 ${tellLooks[t.tone]}`}>
            <b className="font-semibold">{t.head}</b>
            <p className="text-sm text-ink-2">{t.text}</p>
          </li>
        ))}
        {card.tells!.length === 0 && <li className="px-4 py-3 text-ink-2">Nothing late, nothing waiting.</li>}
      </ul>
      <div className="p-3.5">
        <Button hint="Esc" onClick={onFinish}>
          Done
        </Button>
      </div>
    </Card>
  );
}
