/** The person whose choices are read and kept, so that people who share a station each have their own. */
let whose = "";
export const rememberFor = (person: string | number) => {
  whose = String(person);
};

/** A choice of the person, such as the columns of a list, from this browser; undefined if there is none. */
export function remembered<T>(name: string): T | undefined {
  try {
    return (JSON.parse(localStorage.getItem(`${whose} ${name}`) ?? "null") as T | null) ?? undefined;
  } catch {
    return undefined; // what an older version has kept, or somebody has written by hand
  }
}

/** Keeps a choice. If the browser has no room for it, work goes on without. */
export function remember(name: string, choice: unknown) {
  try {
    localStorage.setItem(`${whose} ${name}`, JSON.stringify(choice));
  } catch (e) {
    console.warn(`The choice of ${name} is not kept.`, e);
  }
}

const filters = new Map<string, string>();

/** The key of a list on this page, so that a filter on one patron's account is not used for another's. */
const listHere = (list: string) => `${whose} ${location.pathname}${location.search} ${list}`;

/** The filter of a list, kept until the window is closed. */
export const filterOf = (list: string) => filters.get(listHere(list)) ?? "";
export const keepFilter = (list: string, words: string) => filters.set(listHere(list), words);
