import clsx from "clsx";
import type { ButtonHTMLAttributes, ReactNode } from "react";

export type Tone = "spruce" | "tide" | "amber" | "buoy" | "plum" | "plain";

const tagTones: Record<Tone, string> = {
  spruce: "bg-spruce-100 text-spruce-700",
  tide: "bg-tide-100 text-tide-700",
  amber: "bg-amber-100 text-amber-700",
  buoy: "bg-buoy-100 text-buoy-700",
  plum: "bg-plum-100 text-plum-700",
  plain: "bg-sunk text-ink-2",
};

export function Tag({ tone, children }: { tone: Tone; children: ReactNode }) {
  return (
    <span
      className={clsx(
        "inline-flex items-center gap-1.5 rounded px-2 text-sm leading-[22px] font-medium",
        tagTones[tone],
      )}
    >
      {children}
    </span>
  );
}

export function Key({ children }: { children: ReactNode }) {
  return <kbd className="rounded border border-b-2 border-current/50 px-1 font-sans text-xs">{children}</kbd>;
}

export function Button({
  plain,
  small,
  hint,
  busy,
  children,
  className,
  disabled,
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & {
  plain?: boolean;
  /** In a row, where it must not make the row higher. */
  small?: boolean;
  hint?: string;
  /** What it does is under way. */
  busy?: boolean;
}) {
  return (
    <button
      type="button"
      disabled={disabled || busy}
      aria-busy={busy || undefined}
      className={clsx(
        "inline-flex cursor-pointer items-center gap-2 rounded-card border-[1.5px] border-spruce-700 font-semibold disabled:cursor-default disabled:opacity-50",
        small ? "px-2 text-sm leading-6" : "px-3 py-1",
        plain ? "bg-transparent text-spruce-700 hover:bg-spruce-100" : "bg-spruce-700 text-on hover:brightness-110",
        className,
      )}
      {...rest}
    >
      {children}
      {busy && <span aria-hidden className="size-2 animate-pulse rounded-full bg-current" />}
      {hint && <Key>{hint}</Key>}
    </button>
  );
}

/** A button that keeps quiet: for doing something in the middle of text or at the end of a row. Links go somewhere. */
export function Quiet({ children, className, ...rest }: ButtonHTMLAttributes<HTMLButtonElement>) {
  return (
    <button
      type="button"
      className={clsx("quiet cursor-pointer disabled:cursor-default disabled:opacity-60", className)}
      {...rest}
    >
      {children}
    </button>
  );
}

export function Card({
  children,
  className,
  label,
  id,
  style,
}: {
  children: ReactNode;
  className?: string;
  label?: string;
  /** What a link to it names. */
  id?: string;
  /** Values for what stands in it. */
  style?: Record<`--${string}`, string | number>;
}) {
  return (
    <section
      id={id}
      aria-label={label}
      style={style}
      className={clsx("rounded-card border border-line bg-surface", className)}
    >
      {children}
    </section>
  );
}

/** A part of the screen that scrolls by itself, by keyboard too. */
export function Scrolled({ label, className, children }: { label: string; className: string; children: ReactNode }) {
  return (
    // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex -- what scrolls must be reached by keyboard
    <div role="group" aria-label={label} tabIndex={0} className={clsx("overflow-auto", className)}>
      {children}
    </div>
  );
}

/** The head of a place: what it is, and in a sentence how things stand. */
export function Head({ title, says, children }: { title: string; says?: ReactNode; children?: ReactNode }) {
  return (
    <header className="flex flex-wrap items-baseline gap-x-3.5 gap-y-2">
      <title>{`${title} – Nevrin`}</title>
      <h1 className="text-2xl font-semibold">{title}</h1>
      <p className="text-ink-2">{says}</p>
      {children && <div className="ml-auto flex flex-wrap gap-2 print:hidden">{children}</div>}
    </header>
  );
}

/** Says what would be here and how it gets here. */
export function Empty({ children }: { children: ReactNode }) {
  return <p className="px-4 py-6 text-ink-2">{children}</p>;
}

export function Trouble({ error }: { error: unknown }) {
  if (!error) return null;
  return (
    <p role="alert" className="rounded-card border border-buoy-500 bg-buoy-100 px-3 py-2 text-buoy-700">
      {error instanceof Error ? error.message : typeof error === "string" ? error : "That did not work."}
    </p>
  );
}

/** Grey bars where a list will be, so that nothing jumps when it comes. */
export function Skeleton({ lines = 6 }: { lines?: number }) {
  return (
    <div role="progressbar" aria-busy="true" aria-label="Loading" className="grid gap-3 p-4">
      {Array.from({ length: lines }, (_, k) => (
        <div key={k} className="h-4 rounded bg-sunk" style={{ width: `${90 - ((k * 17) % 40)}%` }} />
      ))}
    </div>
  );
}

const inputLook = "h-8 min-w-0 rounded-card border border-edge bg-field px-2";

export function Field({ label, children }: { label: string; children: ReactNode }) {
  return (
    <label className="grid gap-1 text-sm text-ink-2">
      {label}
      {children}
    </label>
  );
}

export { inputLook };

/** Code in digits that cannot be mixed up. */
export function Code({ children }: { children: ReactNode }) {
  return <span className="font-mono text-[.93em]">{children}</span>;
}

/** Parts of a place that has many, as a list in groups beside them; above them where there is no room. */
export function Sections({
  label,
  groups,
  chosen,
  onChoose,
}: {
  label: string;
  groups: readonly { name: string; parts: readonly (readonly [string, string])[] }[];
  chosen: string;
  onChoose: (id: string) => void;
}) {
  return (
    <nav aria-label={label} className="flex flex-wrap gap-x-6 gap-y-2 md:grid md:gap-3 print:hidden">
      {groups.map((group) => (
        <div key={group.name} role="group" aria-label={group.name}>
          <p aria-hidden className="px-2.5 pb-0.5 text-sm text-ink-2">
            {group.name}
          </p>
          {group.parts.map(([id, name]) => (
            <button
              key={id}
              type="button"
              aria-current={id === chosen ? "page" : undefined}
              onClick={() => onChoose(id)}
              className={clsx(
                "block w-full cursor-pointer rounded px-2.5 py-1 text-left",
                id === chosen ? "bg-spruce-100 font-semibold text-spruce-700" : "hover:bg-surface",
              )}
            >
              {name}
            </button>
          ))}
        </div>
      ))}
    </nav>
  );
}

/** Ways to look at the same thing, side by side. [ and ] walk through them. */
export function Tabs({
  label,
  tabs,
  chosen,
  onChoose,
}: {
  label: string;
  tabs: readonly (readonly [string, string])[];
  chosen: string;
  onChoose: (id: string) => void;
}) {
  return (
    <nav aria-label={label} data-tabs className="flex flex-wrap gap-1 border-b border-line-strong print:hidden">
      {tabs.map(([id, name]) => (
        <button
          key={id}
          type="button"
          aria-current={id === chosen ? "page" : undefined}
          onClick={() => onChoose(id)}
          className={clsx(
            "-mb-px cursor-pointer rounded-t-card border px-3 py-1",
            id === chosen
              ? "border-line-strong border-b-paper bg-paper font-semibold"
              : "border-transparent text-ink-2 hover:text-ink",
          )}
        >
          {name}
        </button>
      ))}
    </nav>
  );
}
