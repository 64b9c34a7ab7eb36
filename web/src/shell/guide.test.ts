import { expect, test } from "vitest";
import { groups } from "./places";
import { guidePages, helpOf, loadGuide, loadPage, pictureAt, searchGuide } from "./guide";

test("each place has help that is there", async () => {
  for (const { path } of groups.flatMap((g) => g.places)) {
    const help = helpOf[path];
    expect(help, path).toBeDefined();
    const sections = await loadPage(help!.page);
    expect(
      sections.map((s) => s.slug),
      path,
    ).toContain(help!.section);
  }
});

test("pictures and links of the guide lead somewhere", async () => {
  const sections = await loadGuide();
  const pages = new Set<string>(guidePages.map(([page]) => page));
  let links = 0;
  let pictures = 0;
  for (const s of sections) {
    for (const [, picture = ""] of s.text.matchAll(/!\[[^\]]*\]\(([^)]+)\)/g)) {
      pictures++;
      expect(pictureAt(picture), `${s.page}: ${picture}`).toBeDefined();
    }
    for (const [, page = "", slug] of s.text.matchAll(/(?<!!)\[[^\]]*\]\(([\w-]+)\.md(?:#([\w-]+))?\)/g)) {
      links++;
      expect(pages, `${s.page}: ${page}`).toContain(page);
      if (slug) expect(sections.filter((x) => x.page === page).map((x) => x.slug)).toContain(slug);
    }
  }
  expect(links).toBeGreaterThan(4);
  expect(pictures).toBeGreaterThan(10);
});

test("the guide is searched by words, headings first", async () => {
  const sections = await loadGuide();
  expect(searchGuide(sections, "fetch list")[0]?.heading).toBe("Fetch list");
  expect(searchGuide(sections, "claims returned").map((s) => s.heading)).toContain("Patrons");
  expect(searchGuide(sections, "zebra crossing")).toEqual([]);
  expect(searchGuide(sections, " ")).toEqual([]);
});
