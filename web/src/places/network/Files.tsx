import { useState } from "react";
import { Card } from "../../ui/parts";

const files = [
  [
    "titles.mrc",
    "Titles with their copies, as MARC 21 in ISO 2709",
    "Copies are in field 852. Records are exported as received, with changes made here.",
  ],
  ["titles.xml", "The same as MARCXML", ""],
  ["items.csv", "Items", "All items, withdrawn ones too."],
  ["patrons.csv", "Patrons", "Without PINs, and without forgotten or merged records."],
  ["loans.csv", "Current loans", ""],
  ["holds.csv", "Open holds", ""],
  ["balances.csv", "Amounts owed, by charge", "Amounts in the smallest unit of the currency."],
  ["past-loans.csv", "Past loans", "As far as patrons allow."],
  ["rosters.csv", "Rosters with their cards", ""],
  ["ledger.csv", "All charges, payments and waivers", "Each with the charge it settles and its receipt."],
  ["receipts.csv", "Receipts", ""],
  ["invoices.csv", "Invoices with their charges", ""],
] as const;

/** All that the network has, to be taken away in open formats. */
export function Files() {
  const [mark, setMark] = useState(false);
  return (
    <Card label="Export everything" className="grid gap-2 p-3.5">
      <h2 className="font-semibold">Export everything</h2>
      <p className="max-w-prose">
        Export all data in open formats: MARC 21 and CSV in UTF-8. Each export is logged. The files hold personal data;
        keep them as safe as the records.
      </p>
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={mark} onChange={(e) => setMark(e.target.checked)} />
        Start CSV files with a byte-order mark (some spreadsheet programs need it for accents)
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
