// A cell that begins like a formula would be one in a spreadsheet; an apostrophe keeps it a text. Numbers stay numbers.
const defused = (text: string) => (/^[=+\-@\t\r]/.test(text) && Number.isNaN(Number(text)) ? `'${text}` : text);
const cell = (text: string) => (/[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);

/** Rows as a file of comma-separated values, by RFC 4180. */
export const csv = (rows: string[][]) =>
  rows.map((r) => r.map((text) => cell(defused(text))).join(",")).join("\r\n") + "\r\n";

/** What tells a spreadsheet that a file is in UTF-8. */
const byteOrderMark = "\uFEFF";

/** Saves a table as a file that spreadsheets read. */
export function save(name: string, text: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([byteOrderMark + text], { type: "text/csv;charset=utf-8" }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
