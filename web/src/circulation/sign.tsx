import clsx from "clsx";
import { useEffect } from "react";
import type { Schema } from "../api/client";
import { announce } from "../ui/announce";
import { who } from "../shell/me";
import { Tag, type Tone } from "../ui/parts";

type Sign = Schema["MovingSign"];
type Kind = Sign["kind"];

const looks: Record<Kind, { panel: string; pattern: string; tone: Tone }> = {
  shelf: { panel: "bg-sign-spruce", pattern: "bars", tone: "spruce" },
  hold_shelf: { panel: "bg-sign-amber", pattern: "dots", tone: "amber" },
  tote: { panel: "bg-sign-tide", pattern: "slant", tone: "tide" },
  outside: { panel: "bg-sign-plum", pattern: "dots", tone: "plum" },
  aside: { panel: "bg-sign-buoy", pattern: "slant", tone: "buoy" },
};

/** The sign: where the item just scanned goes, in words, colour and pattern, readable from a metre away. */
export function SignPanel({
  sign,
  title,
  code,
  count,
}: {
  sign: Sign;
  title: string;
  code?: string;
  /** What is to be counted before it goes there. */
  count?: string;
}) {
  const look = looks[sign.kind];
  const says = `${title}. ${sign.heading} ${sign.place}. ${sign.detail}${count ? ` ${count}.` : ""}`;
  useEffect(() => announce(says), [says, code]);
  return (
    <section
      aria-label="Destination"
      data-kind={sign.kind}
      className={clsx("relative overflow-hidden rounded-card px-4 py-4 text-white md:px-6", look.panel)}
    >
      <div className={clsx("absolute inset-y-0 right-0 w-1/3", look.pattern)} aria-hidden />
      <div className="relative flex flex-wrap items-end gap-x-6 gap-y-2">
        <div className="min-w-0 flex-1">
          <p className="font-medium">{sign.heading}</p>
          <p className="truncate font-display text-[40px] leading-[1.08] lg:text-[60px] font-bold tracking-tight">
            {sign.place}
          </p>
          <p className="mt-1">{sign.detail}</p>
          {count && <p className="mt-1 text-xl font-semibold">{count}</p>}
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
    outside: `Partner: ${sign.place}`,
    aside: `Aside: ${sign.place}`,
  };
  return <Tag tone={looks[sign.kind].tone}>{words[sign.kind]}</Tag>;
}

/** A number as people read it from a label, in the groups that the network shows its numbers in. */
export function spaced(code: string) {
  const fit = (who.getState().me?.numbers ?? []).filter((p) => p.length === code.length && code.startsWith(p.begins));
  const [best] = fit.sort((a, b) => b.begins.length - a.begins.length);
  let at = 0;
  return best?.groups.length ? best.groups.map((n) => code.slice(at, (at += n))).join(" ") : code;
}
