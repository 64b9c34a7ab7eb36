import { Code } from "../../ui/parts";
import { sayCount } from "../../ui/say";
import type { Tote } from "./tote";

/** Up to so many things are drawn one by one; a tote that holds more is drawn full. */
const most = 40;
const wide = 120;
const high = 46;

/** A tote as a box with what is in it: spines side by side, those that somebody waits for in amber. Opens it. */
export function Box({ tote: t, onClick }: { tote: Tote; onClick: () => void }) {
  const drawn = Math.min(t.inside, most);
  const holds = Math.min(t.holds, drawn);
  const step = (wide - 8) / most;
  return (
    <button
      type="button"
      onClick={onClick}
      className="grid cursor-pointer grid-cols-[auto_1fr] items-end gap-x-3 text-left"
      aria-label={`Tote ${t.number} from ${t.from} to ${t.to}: ${t.inside} in it, ${t.holds} for holds`}
    >
      <svg viewBox={`0 0 ${wide} ${high}`} className="h-12 w-28" aria-hidden>
        {Array.from({ length: drawn }, (_, k) => (
          <rect
            key={k}
            x={4 + k * step}
            y={10 + ((k * 7) % 5)}
            width={step * 0.8}
            height={high - 14 - ((k * 7) % 5)}
            className={k < holds ? "fill-amber-500" : "fill-tide-500"}
          />
        ))}
        <path d={`M1 6 V${high - 1} H${wide - 1} V6`} className="fill-none stroke-ink-2" strokeWidth={2} />
        {t.state !== "open" && <path d={`M1 6 H${wide - 1}`} className="fill-none stroke-ink-2" strokeWidth={2} />}
      </svg>
      <span className="min-w-0">
        <b className="block truncate text-lg font-semibold">{t.state === "here" ? `from ${t.from}` : t.to}</b>
        <span className="text-sm text-ink-2">
          <Code>{t.number}</Code> · {sayCount(t.inside, "item")}
          {t.holds > 0 && `, ${t.holds} for holds`}
        </span>
      </span>
    </button>
  );
}
