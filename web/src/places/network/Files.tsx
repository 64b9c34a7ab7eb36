import { useState } from "react";
import { Card } from "../../kit/parts";

const files = [
  [
    "titles.mrc",
    "Titles with their copies, as MARC 21 in ISO 2709",
    "Copies stand in field 852; a record goes out as it came, with what was changed here.",
  ],
  ["titles.xml", "The same as MARCXML", ""],
  ["items.csv", "Items", "All of them, those out of the stock too."],
  [
    "patrons.csv",
    "Patrons",
    "Without PINs, which nobody can read, and without who has been forgotten or merged into another record.",
  ],
  ["loans.csv", "What is on loan now", ""],
  ["holds.csv", "Holds that are open", ""],
  ["balances.csv", "What is owed, charge by charge", "Sums in the smallest unit of the currency."],
  ["past-loans.csv", "What was on loan before", "As far as patrons let it be kept."],
  ["rosters.csv", "Rosters, with the cards of who is in them", ""],
  ["ledger.csv", "All charges, payments and waivers", "Each names what it settles, and its receipt."],
  ["receipts.csv", "Receipts", ""],
  ["invoices.csv", "Invoices, with the charges that stand on them", ""],
] as const;

/** All that the network has, to be taken away in open formats. */
export function Files() {
  const [mark, setMark] = useState(false);
  return (
    <Card label="Everything as files" className="grid gap-2 p-3.5">
      <h2 className="font-semibold">Everything as files</h2>
      <p className="max-w-prose">
        What the network has is yours, in formats that other programs read: MARC 21 and CSV in UTF-8. Whoever takes a
        file is written down. These files hold what people have on loan and owe: keep them as you keep the records
        themselves.
      </p>
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={mark} onChange={(e) => setMark(e.target.checked)} />
        Begin CSV files with a byte-order mark, which some spreadsheet programs need to read accents
      </label>
      <ul className="grid gap-1">
        {files.map(([file, name, says]) => (
          <li key={file}>
            <a
              href={`/api/out/${file}${mark && file.endsWith(".csv") ? "?mark=yes" : ""}`}
              download
              className="link font-semibold"
            >
              {name}
            </a>{" "}
            <span className="text-ink-2">
              ({file}) {says}
            </span>
          </li>
        ))}
      </ul>
    </Card>
  );
}
