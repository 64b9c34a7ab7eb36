/**
 * What lies on a pad, and what is still to be done with it. A pile is fed to the scans once, each thing under its number; it is not
 * fed again until it has been lifted. What was lent or returned from it has its security switched, and that is owed until every tag
 * of it has been seen to be so: who lifts a thing too early is told.
 */

/** What the pad says of a tag. */
export interface Tag {
  tag: string;
  /** The item's. */
  number: string;
  /** Which part of the item carries it, of how many that do. */
  part: number;
  parts: number;
  /** The gate hears it. */
  secure: boolean;
}

/** How the security of a thing should be, and is not yet for all that is known. */
interface Owed {
  on: boolean;
  title: string;
}

export interface Pile {
  tags: Tag[];
  /** Tags that answer without being understood. */
  silent: string[];
  /** Numbers that were given to the scans, with the scan, until they are lifted. */
  fed: Record<string, string>;
  /** Numbers that have lain on the pad at all: they carry a tag. */
  seen: string[];
  owed: Record<string, Owed>;
  /** Tags that did not take it, with what the pad said. */
  stuck: Record<string, string>;
}

export const empty: Pile = { tags: [], silent: [], fed: {}, seen: [], owed: {}, stuck: {} };

/** How many numbers are remembered as carrying a tag. */
const remembered = 500;

const without = <T>(record: Record<string, T>, key: string) =>
  Object.fromEntries(Object.entries(record).filter(([k]) => k !== key));

/** A tag has come, or is otherwise than it was. */
export function laid(p: Pile, tag: Tag): Pile {
  const known = p.tags.some((t) => t.tag === tag.tag);
  const tags = known ? p.tags.map((t) => (t.tag === tag.tag ? tag : t)) : [...p.tags, tag];
  const seen = p.seen.includes(tag.number) ? p.seen : [...p.seen, tag.number].slice(-remembered);
  return settled({
    ...p,
    tags,
    seen,
    silent: p.silent.filter((s) => s !== tag.tag),
    stuck: without(p.stuck, tag.tag),
  });
}

/** Something has come whose tag is not understood. */
export const unread = (p: Pile, tag: string): Pile =>
  p.silent.includes(tag) ? p : { ...p, silent: [...p.silent, tag], tags: p.tags.filter((t) => t.tag !== tag) };

/** A tag is gone. Its thing may be laid on anew, unless something of it is still to be done. */
export function lifted(p: Pile, tag: string, asked: (scan: string) => boolean): Pile {
  const number = p.tags.find((t) => t.tag === tag)?.number;
  const tags = p.tags.filter((t) => t.tag !== tag);
  const next = { ...p, tags, silent: p.silent.filter((s) => s !== tag), stuck: without(p.stuck, tag) };
  return number === undefined ? next : forgotten(next, number, asked);
}

/** Lets what is not there any more be laid on anew. */
function forgotten(p: Pile, number: string, asked: (scan: string) => boolean): Pile {
  const scan = p.fed[number];
  if (scan === undefined || p.tags.some((t) => t.number === number) || number in p.owed || asked(scan)) return p;
  return { ...p, fed: without(p.fed, number) };
}

/** Lets what was lifted while it was asked for be laid on anew, once it has been answered. */
export const answered = (p: Pile, asked: (scan: string) => boolean): Pile =>
  Object.keys(p.fed).reduce((q, number) => forgotten(q, number, asked), p);

/** A thing on the pad. */
export interface Thing {
  number: string;
  /** How many of its parts lie there, and how many carry a tag. */
  here: number;
  parts: number;
  fed: boolean;
}

export function things(p: Pile): Thing[] {
  const numbers = [...new Set(p.tags.map((t) => t.number))];
  return numbers.map((number) => {
    const of = p.tags.filter((t) => t.number === number);
    return {
      number,
      here: new Set(of.map((t) => t.part)).size,
      parts: Math.max(...of.map((t) => t.parts)),
      fed: number in p.fed,
    };
  });
}

/** What can be given to the scans: what is whole, and once nothing more comes also what is not. */
export const next = (p: Pile, atRest: boolean): Thing[] =>
  things(p).filter((t) => !t.fed && (atRest || t.here === t.parts));

export const fed = (p: Pile, number: string, scan: string): Pile => ({ ...p, fed: { ...p.fed, [number]: scan } });

/** The security of a thing should be so from now on, if it carries a tag. It is known under any of these numbers. */
export function wanted(p: Pile, numbers: string[], on: boolean, title: string): Pile {
  const number = numbers.find((n) => p.seen.includes(n));
  return number === undefined ? p : settled({ ...p, owed: { ...p.owed, [number]: { on, title } } });
}

/** Takes off what is owed no more: every part lies there, and is as it should be. */
function settled(p: Pile): Pile {
  const right = (number: string, on: boolean) => {
    const of = p.tags.filter((t) => t.number === number);
    const parts = new Set(of.map((t) => t.part)).size;
    return of.length > 0 && of.every((t) => t.secure === on && t.parts === parts);
  };
  const done = Object.entries(p.owed).filter(([number, o]) => right(number, o.on));
  return done.reduce((q, [number]) => ({ ...q, owed: without(q.owed, number) }), p);
}

/** Tags that lie there and are to be switched. */
export const toSwitch = (p: Pile) =>
  p.tags.flatMap((t) => {
    const owed = p.owed[t.number];
    return owed && owed.on !== t.secure && !(t.tag in p.stuck) ? [{ tag: t.tag, on: owed.on }] : [];
  });

export const refused = (p: Pile, tag: string, says: string): Pile => ({ ...p, stuck: { ...p.stuck, [tag]: says } });

/** Tries again what did not take it. */
export const unstuck = (p: Pile): Pile => ({ ...p, stuck: {} });

/** Lets a thing be as it is. */
export function letBe(p: Pile, number: string): Pile {
  const next = { ...p, owed: without(p.owed, number) };
  return next.tags.some((t) => t.number === number) ? next : { ...next, fed: without(next.fed, number) };
}

/** All that lies there, as the pad says when it is asked. */
export function looked(p: Pile, tags: Tag[], silent: string[], asked: (scan: string) => boolean): Pile {
  const here = new Set([...tags.map((t) => t.tag), ...silent]);
  const gone = [...p.tags.map((t) => t.tag), ...p.silent].filter((t) => !here.has(t));
  const kept = gone.reduce((q, t) => lifted(q, t, asked), p);
  return silent.reduce(unread, tags.reduce(laid, kept));
}
