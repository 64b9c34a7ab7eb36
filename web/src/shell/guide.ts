/** The guide: the pages of docs/guide/, which ship with the program, and which of them is about which place. */

const files = import.meta.glob<string>("../../../docs/guide/*.md", { query: "?raw", import: "default" });
const pictures = import.meta.glob<string>("../../../docs/screenshots/*.png", {
  query: "?url",
  import: "default",
  eager: true,
});

/** A page of the guide by its name, and the roles it is written for first. */
export const guidePages = [
  ["desk", "At the counter"],
  ["supervisors", "For supervisors"],
  ["interlibrary", "Interlibrary loans"],
  ["administrators", "For administrators"],
  ["first-day", "The first day"],
  ["operate", "Operating"],
  ["files", "Files"],
] as const;

export type GuidePage = (typeof guidePages)[number][0];

export const isGuidePage = (name: unknown): name is GuidePage => guidePages.some(([page]) => page === name);

/** What is written about a place: a page, and the heading on it. */
export const helpOf: Record<string, { page: GuidePage; section: string }> = {
  "/": { page: "desk", section: "starting-the-day" },
  "/desk": { page: "desk", section: "lending" },
  "/returns": { page: "desk", section: "taking-back" },
  "/patrons": { page: "desk", section: "patrons" },
  "/rosters": { page: "desk", section: "rosters" },
  "/money": { page: "desk", section: "money" },
  "/holds": { page: "desk", section: "holds-and-the-hold-shelf" },
  "/fetch": { page: "desk", section: "fetch-list" },
  "/courier": { page: "desk", section: "courier" },
  "/interlibrary": { page: "interlibrary", section: "the-list" },
  "/notices": { page: "supervisors", section: "notices" },
  "/rulebook": { page: "supervisors", section: "rulebook" },
  "/calendars": { page: "supervisors", section: "calendars" },
  "/changes": { page: "supervisors", section: "batch-changes" },
  "/items": { page: "supervisors", section: "items" },
  "/network": { page: "administrators", section: "network" },
  "/own": { page: "desk", section: "starting-the-day" },
};

/** A heading as part of an address: "Holds and the hold shelf" is holds-and-the-hold-shelf. */
export const slugOf = (heading: string) =>
  heading
    .toLowerCase()
    .replace(/[^a-z0-9 -]/g, "")
    .trim()
    .replace(/ +/g, "-");

/** A part of a page under a heading of the second level; the first has what stands before any. */
export interface Section {
  page: GuidePage;
  title: string;
  heading: string;
  slug: string;
  text: string;
}

/** The sections of a page as it is written. */
export function sectionsOf(page: GuidePage, source: string): Section[] {
  const title = /^# (.*)$/m.exec(source)?.[1] ?? page;
  return source.split(/^## /m).map((part, k) => {
    const heading = k === 0 ? title : (part.split("\n")[0] ?? "").trim();
    const text = part.slice(part.indexOf("\n") + 1).trim();
    return { page, title, heading, slug: k === 0 ? "" : slugOf(heading), text };
  });
}

/** One page. It is asked for once it is needed. */
export async function loadPage(page: GuidePage): Promise<Section[]> {
  const load = files[`../../../docs/guide/${page}.md`];
  return load ? sectionsOf(page, await load()) : [];
}

/** All pages, to be searched. */
export const loadGuide = async () => (await Promise.all(guidePages.map(([page]) => loadPage(page)))).flat();

/** The sections in which all words stand, those with a word in their heading first. */
export function searchGuide(sections: Section[], words: string): Section[] {
  const all = words.toLowerCase().split(/\s+/).filter(Boolean);
  if (all.length === 0) return [];
  const found = sections.filter((s) => all.every((w) => `${s.title} ${s.heading} ${s.text}`.toLowerCase().includes(w)));
  const inHeading = (s: Section) => all.filter((w) => s.heading.toLowerCase().includes(w)).length;
  return found.sort((a, b) => inHeading(b) - inHeading(a));
}

/** The address of a picture as the page names it; undefined where it does not ship. */
export const pictureAt = (named: string) => pictures[`../../${named}`.replace("../../../", "../../../docs/")];
