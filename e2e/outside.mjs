// What libraries of the registry make of numbers and records: a question on standard input, its answer on standard output, both
// as JSON. Go's tests ask.
import { text } from "node:stream/consumers";
import { parse } from "isbn3";
import issn from "issn";
import { default as luhn } from "fast-luhn";
import { Marc } from "marcjs";

const question = JSON.parse(await text(process.stdin));
const answer = {};
if (question.isbn)
  answer.isbn = question.isbn.map((n) => {
    const found = parse(n);
    return found?.isValid ? found.isbn13 : "";
  });
if (question.issn) answer.issn = question.issn.map((n) => issn(n));
if (question.luhn) answer.luhn = question.luhn.map((n) => luhn(n));
// Records in one form, written in another: each is read and written by marcjs alone.
if (question.marc) {
  const { from, to, records } = question.marc;
  answer.marc = records.map((r) => Marc.format(Marc.parse(from === "iso2709" ? Buffer.from(r) : r, from), to));
}
process.stdout.write(JSON.stringify(answer));
