import type { Schema } from "../../api/client";
import { sayDate } from "../../ui/say";

type Queue = Schema["HoldsTitleQueue"];
type Row = Schema["HoldsInQueue"];

/** How many rows are drawn; the list below has them all. */
const drawn = 24;
const left = 190;
const width = 900;
const line = 22;

const day = 86_400_000;
const at = (date: string) => Date.parse(`${date}T12:00:00Z`);

/** A step between the days that are named, so that six or so are. */
const steps = [1, 2, 7, 14, 28, 56, 91, 182];

/**
 * The queue over time: a line for each hold from the earliest to the latest day on which it will be ready, and a mark on
 * the likely one; where its copy is known, what has been promised; and when each copy is due back.
 */
export function QueuePicture({ queue }: { queue: Queue }) {
  const rows = queue.holds.slice(0, drawn).filter((h) => h.foreseen ?? h.state === "ready");
  const due = queue.copies.filter((c) => c.state === "lent" && c.until);
  const today = at(queue.today);
  const last = Math.max(
    today + 6 * day,
    ...rows.map((h) => (h.foreseen ? at(h.foreseen.until) : today)),
    ...due.map((c) => at(c.until ?? queue.today)),
  );
  const days = Math.ceil((last - today) / day) + 1;
  const x = (date: string) => left + (Math.max(0, (at(date) - today) / day) / days) * (width - left - 10);
  const step = steps.find((s) => days / s <= 7) ?? 364;
  if (rows.length === 0) return <p className="mt-1 text-ink-2">No date can be estimated. The list says why.</p>;
  const high = 26 + rows.length * line + (due.length ? line : 0);
  // A day that is named at the very edge would be cut off.
  const ticks = Array.from({ length: Math.floor(days / step) + 1 }, (_, k) => today + k * step * day).filter(
    (ms) => ms - today < 0.96 * days * day,
  );
  const iso = (ms: number) => new Date(ms).toISOString().slice(0, 10);
  return (
    <svg viewBox={`0 0 ${width} ${high}`} role="img" aria-label={told(rows, queue)} className="mt-1 w-full max-w-5xl">
      {ticks.map((ms) => (
        <g key={ms}>
          <line x1={x(iso(ms))} x2={x(iso(ms))} y1={20} y2={high} stroke="var(--color-line)" />
          <text
            x={x(iso(ms))}
            y={13}
            textAnchor={ms === today ? "start" : "middle"}
            fontSize="12"
            fill="var(--color-ink-2)"
          >
            {ms === today ? "Today" : sayDate(iso(ms)).replace(/^\w+ /, "")}
          </text>
        </g>
      ))}
      {rows.map((h, k) => (
        <Line key={h.id} hold={h} y={26 + k * line + line / 2} x={x} />
      ))}
      {due.length > 0 && (
        <g>
          <text x={0} y={26 + rows.length * line + 15} fontSize="12.5" fill="var(--color-ink-2)">
            Copies due back
          </text>
          {due.map((c) => (
            <path
              key={c.item_id}
              d={`M ${x(c.until ?? "")} ${26 + rows.length * line + 5} l 5 10 h -10 z`}
              fill="var(--color-ink-3)"
            >
              <title>{`${c.barcode}: ${c.says}`}</title>
            </path>
          ))}
        </g>
      )}
    </svg>
  );
}

function Line({ hold: h, y, x }: { hold: Row; y: number; x: (date: string) => number }) {
  const f = h.foreseen;
  const colour = h.state === "waiting" ? "var(--color-spruce-500)" : "var(--color-tide-500)";
  const name = `${h.waiting ? `${h.waiting}. ` : ""}${h.patron || h.pickup}`;
  return (
    <g>
      <title>{`${name}: ${f?.says ?? h.says}`}</title>
      <text x={0} y={y + 4} fontSize="12.5" fill="var(--color-ink)">
        {name.length > 22 ? `${name.slice(0, 21)}…` : name}
      </text>
      <text x={left - 10} y={y + 4} fontSize="11.5" textAnchor="end" fill="var(--color-ink-3)">
        {h.pickup}
      </text>
      {f ? (
        <>
          <line
            x1={x(f.from)}
            x2={Math.max(x(f.until), x(f.from) + 2)}
            y1={y}
            y2={y}
            stroke={colour}
            strokeOpacity="0.45"
            strokeWidth="7"
            strokeLinecap="round"
          />
          <circle cx={x(f.likely)} cy={y} r="5" fill={colour} />
        </>
      ) : (
        <rect x={left} y={y - 6} width="12" height="12" fill="var(--color-amber-500)" />
      )}
    </g>
  );
}

/** The picture in words, for who does not see it. */
function told(rows: Row[], queue: Queue) {
  const first = rows.find((h) => h.foreseen);
  const last = rows.findLast((h) => h.foreseen);
  return `The queue of ${queue.title} over time. ${first?.foreseen ? `The first: ${first.foreseen.says}. ` : ""}${
    last && last !== first && last.foreseen ? `Number ${last.waiting}: ${last.foreseen.says}.` : ""
  }`;
}
