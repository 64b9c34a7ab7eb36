/** What belongs to this window alone: who works here, and at which branch. It goes with every request. */

const branchKey = "nevrin branch";
let person = 0;

/** The branch at which this window works; undefined: the person's own. A new window begins where the last one was. */
export const branchHere = () => sessionStorage.getItem(branchKey) ?? localStorage.getItem(branchKey) ?? undefined;

export function workHere(branch: string | undefined) {
  for (const kept of [sessionStorage, localStorage]) {
    if (branch) kept.setItem(branchKey, branch);
    else kept.removeItem(branchKey);
  }
}

/** Who is signed in here, by number; 0 for nobody. */
export const personHere = () => person;
export const signedInHere = (id: number) => void (person = id);
