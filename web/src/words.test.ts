import ts from "typescript";
import { expect, test } from "vitest";
import words from "../../docs/words.md?raw";

// What stands on the screens uses the words of docs/words.md, whose second table has those that are not used any more.

const files = import.meta.glob<string>(["./**/*.{ts,tsx}", "!./**/*.test.ts*", "!./**/*.gen.ts"], {
  query: "?raw",
  import: "default",
  eager: true,
});
const page = words.split("## Not used any more")[1] ?? "";
const former = page
  .split("\n")
  .map((line) => line.split("|")[1]?.trim() ?? "")
  .filter((word) => word !== "" && word !== "not" && !word.startsWith("-"));
const pattern = new RegExp(`\\b(${former.join("|")})\\b`, "i");

/** The texts of a file: those between tags, and in quotes; class names and names of writes are none. */
function textsOf(path: string, source: string): string[] {
  const file = ts.createSourceFile(path, source, ts.ScriptTarget.Latest, true);
  const found: string[] = [];
  const visit = (node: ts.Node) => {
    if (ts.isImportDeclaration(node)) return;
    if (ts.isJsxAttribute(node) && ["className", "name", "id"].includes(node.name.getText())) return;
    if (ts.isJsxText(node) || ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node))
      found.push(node.text);
    else if (ts.isTemplateExpression(node))
      found.push(node.head.text + node.templateSpans.map((s) => ` ${s.literal.text}`).join(""));
    ts.forEachChild(node, visit);
  };
  visit(file);
  return found.map((text) => text.replace(/\s+/g, " "));
}

test("texts of the front end use our words", () => {
  expect(former.length).toBeGreaterThan(30);
  let seen = 0;
  const odd: string[] = [];
  for (const [path, source] of Object.entries(files))
    for (const text of textsOf(path, source)) {
      seen++;
      if (pattern.test(text)) odd.push(`${path}: ${text.trim()}`);
    }
  expect(seen).toBeGreaterThan(2000);
  expect(odd).toEqual([]);
});
