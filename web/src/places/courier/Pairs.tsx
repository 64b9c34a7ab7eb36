/** One thing that is told apart, before and after. */
export interface Pair {
  name: string;
  before: number;
  after: number;
}

const left = 132;
const wide = 480;
const line = 30;
const top = 22;

/** Bars in pairs: as it is above, as it would have been below. */
export function Pairs({ label, rows, say }: { label: string; rows: Pair[]; say: (n: number) => string }) {
  const most = Math.max(1, ...rows.flatMap((r) => [r.before, r.after]));
  const room = wide - left - 78;
  const told = rows.map((r) => `${r.name}: ${say(r.before)}, would have been ${say(r.after)}`).join("; ");
  return (
    <figure className="grid content-start gap-1">
      <figcaption className="text-sm">
        {label}. <span className="text-tide-700">▬ as it is</span>{" "}
        <span className="text-amber-700">▬ as it would have been</span>
      </figcaption>
      <svg
        viewBox={`0 0 ${wide} ${top + rows.length * line - 14}`}
        role="img"
        aria-label={`${label}. ${told}`}
        className="w-full"
        style={{ fontSize: 12 }}
      >
        {rows.map((r, k) => {
          const y = 6 + k * line;
          return (
            <g key={k}>
              <text x={left - 8} y={y + 14} textAnchor="end" className="fill-ink">
                {r.name}
              </text>
              <rect x={left} y={y} width={(room * r.before) / most} height={9} className="fill-tide-500" />
              <rect x={left} y={y + 10} width={(room * r.after) / most} height={9} className="fill-amber-500" />
              <text x={left + (room * Math.max(r.before, r.after)) / most + 6} y={y + 14} className="fill-ink-2">
                {r.before === r.after ? say(r.after) : `${say(r.before)} › ${say(r.after)}`}
              </text>
            </g>
          );
        })}
      </svg>
    </figure>
  );
}
