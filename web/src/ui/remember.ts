/** Whose choices are kept, so that people who share a station each find their own. */
let whose = "";
export const rememberFor = (person: string | number) => {
  whose = String(person);
};

/** What somebody has chosen of a list here, such as its columns; it stays in this browser. Nothing chosen: undefined. */
export function remembered<T>(name: string): T | undefined {
  try {
    return (JSON.parse(localStorage.getItem(`${whose} ${name}`) ?? "null") as T | null) ?? undefined;
  } catch {
    return undefined; // what an older version has kept, or somebody has written by hand
  }
}

/** Keeps a choice; a browser that keeps nothing more stops nothing. */
export function remember(name: string, choice: unknown) {
  try {
    localStorage.setItem(`${whose} ${name}`, JSON.stringify(choice));
  } catch (e) {
    console.warn(`The choice of ${name} is not kept.`, e);
  }
}

const filters = new Map<string, string>();

/** A list where it stands: what narrows the account of one patron narrows no other's. */
const listHere = (list: string) => `${whose} ${location.pathname}${location.search} ${list}`;

/** The words that narrow a list, kept until this window is closed or somebody else works in it. */
export const filterOf = (list: string) => filters.get(listHere(list)) ?? "";
export const keepFilter = (list: string, words: string) => filters.set(listHere(list), words);
