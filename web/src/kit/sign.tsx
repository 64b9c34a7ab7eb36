import clsx from "clsx";
import type { Schema } from "../api/client";
import { Tag, type Tone } from "./parts";

type Sign = Schema["MovingSign"];
type Kind = Sign["kind"];

const looks: Record<Kind, { panel: string; pattern: string; tone: Tone }> = {
  shelf: { panel: "bg-spruce-700", pattern: "bars", tone: "spruce" },
  hold_shelf: { panel: "bg-amber-700", pattern: "dots", tone: "amber" },
  tote: { panel: "bg-tide-700", pattern: "slant", tone: "tide" },
  outside: { panel: "bg-plum-700", pattern: "dots", tone: "plum" },
  aside: { panel: "bg-buoy-700", pattern: "slant", tone: "buoy" },
};

/** The sign: where the item just scanned goes, in words, colour and pattern, readable from a metre away. */
export function SignPanel({ sign, title, code }: { sign: Sign; title: string; code?: string }) {
  const look = looks[sign.kind];
  return (
    <section
      aria-live="assertive"
      aria-label="Sign"
      data-kind={sign.kind}
      className={clsx("relative overflow-hidden rounded-card px-6 py-4 text-white", look.panel)}
    >
      <div className={clsx("absolute inset-y-0 right-0 w-1/3", look.pattern)} aria-hidden />
      <div className="relative flex items-end gap-6">
        <div className="min-w-0 flex-1">
          <p className="font-medium">{sign.heading}</p>
          <p className="truncate font-display text-[60px] leading-[1.08] font-bold tracking-tight">{sign.place}</p>
          <p className="mt-1">{sign.detail}</p>
        </div>
        <div className="text-right">
          {sign.code && <p className="font-mono text-4xl">{sign.code}</p>}
          <p>{title}</p>
          {code && <p className="font-mono text-2xl">{spaced(code)}</p>}
        </div>
      </div>
    </section>
  );
}

export function SignTag({ sign }: { sign: Sign }) {
  const words: Record<Kind, string> = {
    shelf: "Shelve here",
    hold_shelf: `Hold shelf: ${sign.place}`,
    tote: `Tote: ${sign.place}`,
    outside: `Outside: ${sign.place}`,
    aside: `Aside: ${sign.place}`,
  };
  return <Tag tone={looks[sign.kind].tone}>{words[sign.kind]}</Tag>;
}

/** 31846000274417 as people read it from a label: 3 1846 00027 4417. */
export function spaced(code: string) {
  return code.length === 14 ? `${code[0]} ${code.slice(1, 5)} ${code.slice(5, 10)} ${code.slice(10)}` : code;
}
