import type { Schema } from "../../api/client";
import { sayClock } from "../../ui/say";

type Day = Schema["CouriersDay"];
type Run = Schema["CouriersRun"];

const left = 130;
const width = 1000;
const line = 44;
const top = 26;
const hour = 3_600_000;

/** Colours that tell runs apart; their names stand beside them. */
const colours = [
  "var(--color-tide-500)",
  "var(--color-spruce-500)",
  "var(--color-plum-500)",
  "var(--color-amber-500)",
  "var(--color-buoy-500)",
  "var(--color-ink-2)",
];

const ms = (at?: string) => (at ? Date.parse(at) : NaN);

/** The instants at which a call is come to and left; the same where only one is known. */
const span = (c: Run["calls"][number]) => [ms(c.arrive ?? c.depart), ms(c.depart ?? c.arrive)] as const;

/** The day as lines of places against time. A line is as thick as what is aboard there. */
export function DayPicture({ day }: { day: Day }) {
  const all = day.runs.flatMap((r) => r.calls.flatMap((c) => [...span(c)]));
  const begin = Math.floor(Math.min(...all) / hour) * hour;
  const end = Math.ceil(Math.max(...all) / hour) * hour;
  const x = (at: number) => left + ((at - begin) / (end - begin)) * (width - left - 14);
  const row = new Map(day.branches.map((b, k) => [b.code, top + k * line + line / 2]));
  const high = top + day.branches.length * line + 6;
  const most = Math.max(1, ...day.runs.map((r) => r.most));
  const hours = Array.from({ length: Math.round((end - begin) / hour) + 1 }, (_, k) => begin + k * hour);
  const now = day.now ? ms(day.now) : NaN;
  return (
    <figure className="grid gap-1.5">
      <svg viewBox={`0 0 ${width} ${high}`} role="img" aria-label={said(day)} className="w-full">
        {hours.map((h) => (
          <g key={h}>
            <line x1={x(h)} x2={x(h)} y1={top} y2={high - 6} stroke="var(--color-line)" />
            <text x={x(h)} y={15} fontSize="12" textAnchor="middle" fill="var(--color-ink-2)">
              {sayClock(new Date(h).toISOString())}
            </text>
          </g>
        ))}
        {day.branches.map((b) => (
          <g key={b.code}>
            <text x={0} y={(row.get(b.code) ?? 0) + 4} fontSize="13.5" fill="var(--color-ink)">
              {b.name}
            </text>
            <line
              x1={left}
              x2={width - 14}
              y1={row.get(b.code)}
              y2={row.get(b.code)}
              stroke="var(--color-line)"
              strokeDasharray="2 5"
            />
          </g>
        ))}
        {day.runs.map((r, k) => (
          <Line key={r.id} run={r} colour={colours[k % colours.length] ?? ""} x={x} row={row} most={most} />
        ))}
        {now >= begin && now <= end && (
          <g>
            <line x1={x(now)} x2={x(now)} y1={top - 6} y2={high - 6} stroke="var(--color-amber-500)" strokeWidth="2" />
            <text x={x(now) + 4} y={high - 8} fontSize="12" fill="var(--color-amber-700)">
              now
            </text>
          </g>
        )}
      </svg>
      <figcaption className="flex flex-wrap gap-x-5 gap-y-1 text-sm">
        {day.runs.map((r, k) => (
          <span key={r.id} className="inline-flex items-center gap-1.5">
            <svg width="22" height="8" aria-hidden>
              <line x1="0" x2="22" y1="4" y2="4" stroke={colours[k % colours.length]} strokeWidth="5" />
            </svg>
            {r.name}
            {r.most > 0 && `, at most ${r.most} on board`}
          </span>
        ))}
      </figcaption>
    </figure>
  );
}

function Line({
  run,
  colour,
  x,
  row,
  most,
}: {
  run: Run;
  colour: string;
  x: (at: number) => number;
  row: Map<string, number>;
  most: number;
}) {
  const y = (branch: string) => row.get(branch) ?? 0;
  return (
    <g>
      {run.calls.slice(0, -1).map((c, k) => {
        const next = run.calls[k + 1];
        if (!next) return null;
        const aboard = run.aboard[k] ?? 0;
        return (
          <line
            key={k}
            x1={x(span(c)[1])}
            y1={y(c.branch)}
            x2={x(span(next)[0])}
            y2={y(next.branch)}
            stroke={colour}
            strokeWidth={1.5 + 12 * (aboard / most)}
            strokeLinecap="round"
            strokeOpacity={aboard ? 0.85 : 0.5}
          >
            <title>{`${run.name}: ${aboard} on board from ${c.branch} to ${next.branch}`}</title>
          </line>
        );
      })}
      {run.calls.map((c, k) => (
        <line
          key={k}
          x1={x(span(c)[0])}
          x2={x(span(c)[1]) + 0.1}
          y1={y(c.branch)}
          y2={y(c.branch)}
          stroke={colour}
          strokeWidth="8"
          strokeLinecap="round"
        >
          <title>{`${run.name} at ${c.branch}, ${sayClock(c.arrive ?? c.depart ?? "")}`}</title>
        </line>
      ))}
    </g>
  );
}

const said = (day: Day) =>
  `Runs of the day: ${day.runs.map((r) => `${r.name} with at most ${r.most} on board`).join(", ")}. The table below has the numbers.`;
