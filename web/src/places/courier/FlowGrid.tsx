import type { Schema } from "../../api/client";

const cell = 62;
const high = 30;
const left = 120;
const top = 26;

/** Who sends how much to whom as a grid, the fuller the more. Branches stand in the order in which they give. */
export function FlowGrid({ flows: f }: { flows: Schema["FlowsFlows"] }) {
  const n = f.branches.length;
  const of = new Map(f.pairs.map((p) => [`${p.from_branch} ${p.to_branch}`, p.holds]));
  const most = Math.max(1, ...f.pairs.map((p) => p.holds));
  const strongest = [...f.pairs].sort((x, y) => y.holds - x.holds)[0];
  const name = (code?: string) => f.branches.find((b) => b.code === code)?.name ?? code;
  const told = strongest
    ? `Most goes from ${name(strongest.from_branch)} to ${name(strongest.to_branch)}: ${strongest.holds}`
    : "No items are sent";
  return (
    <svg
      viewBox={`0 0 ${left + n * cell} ${top + n * high}`}
      role="img"
      aria-label={told}
      className="w-full max-w-3xl"
      style={{ fontSize: 12 }}
    >
      {f.branches.map((b, k) => (
        <g key={b.code}>
          <text x={left + (k + 0.5) * cell} y={top - 9} textAnchor="middle" className="fill-ink-2">
            {b.code}
          </text>
          <text x={left - 8} y={top + (k + 0.5) * high + 4} textAnchor="end" className="fill-ink">
            {b.name}
          </text>
        </g>
      ))}
      {f.branches.map((from, y) =>
        f.branches.map((to, x) => {
          const holds = of.get(`${from.code} ${to.code}`) ?? 0;
          const at = { x: left + x * cell, y: top + y * high };
          if (from.code === to.code)
            return (
              <path
                key={to.code}
                d={`M${at.x + 4} ${at.y + high - 4} L${at.x + cell - 4} ${at.y + 4}`}
                className="stroke-line"
              />
            );
          const share = holds / most;
          return (
            <g key={to.code}>
              <title>{`${from.name} to ${to.name}: ${holds}`}</title>
              <rect
                x={at.x + 1}
                y={at.y + 1}
                width={cell - 2}
                height={high - 2}
                rx={3}
                className="fill-tide-500"
                fillOpacity={holds ? 0.08 + 0.5 * share : 0.03}
              />
              <text x={at.x + cell / 2} y={at.y + high / 2 + 4} textAnchor="middle" className="fill-ink">
                {holds || "·"}
              </text>
            </g>
          );
        }),
      )}
    </svg>
  );
}
