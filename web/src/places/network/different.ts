import { sayMoney, toFigures } from "../../ui/say";

/** One thing that a change has made otherwise. */
interface Difference {
  what: string;
  was: string;
  is: string;
}

const isDoc = (v: unknown): v is Record<string, unknown> => typeof v === "object" && v !== null && !Array.isArray(v);

const isList = (v: unknown): v is unknown[] => Array.isArray(v);

/** A field as people call it: sort_minutes is "sort minutes". */
const called = (key: string) => key.replaceAll("_", " ");

function say(v: unknown): string {
  if (v === undefined || v === null || v === "") return "";
  if (v === true) return "yes";
  if (v === false) return "no";
  if (Array.isArray(v)) return v.map(say).join(", ");
  if (isDoc(v)) return typeof v.name === "string" ? v.name : JSON.stringify(v);
  return typeof v === "string" || typeof v === "number" ? String(v) : JSON.stringify(v);
}

/** What is otherwise between two documents, field by field, those within others named with their way. */
export function different(was: unknown, is: unknown, within = ""): Difference[] {
  const [a, b] = [isDoc(was) ? was : {}, isDoc(is) ? is : {}];
  if (was === undefined || is === undefined) return [];
  return [...new Set([...Object.keys(a), ...Object.keys(b)])].flatMap((key) => {
    const what = within ? `${within}, ${called(key)}` : called(key);
    const [x, y] = [a[key], b[key]];
    if (JSON.stringify(x) === JSON.stringify(y)) return [];
    if (isDoc(x) || isDoc(y)) return different(x ?? {}, y ?? {}, what);
    if (isList(x) && isList(y) && [...x, ...y].some(isDoc)) return lists(what, x, y);
    const tell = isMoney(what) ? sayMinor : say;
    return [{ what, was: tell(x), is: tell(y) }];
  });
}

/** Sums are kept in minor units. */
const isMoney = (what: string) => /(^|, )(waive, \w+|sum|amount)$/.test(what);

const sayMinor = (v: unknown) => {
  if (typeof v !== "number") return v === null ? "no limit" : "";
  return sayMoney(toFigures(v));
};

/** Lists of documents are compared one by one, by their names. */
function lists(what: string, was: unknown[], is: unknown[]): Difference[] {
  const names = [...new Set([...was, ...is].map(say))];
  return names.flatMap((name) => {
    const [x, y] = [was.find((v) => say(v) === name), is.find((v) => say(v) === name)];
    if (x !== undefined && y !== undefined) return different(x, y, name);
    return [{ what, was: x === undefined ? "" : name, is: y === undefined ? "" : name }];
  });
}
