import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useAskAgain } from "../../api/asked";
import { api, keyed, told, type Schema } from "../../api/client";
import { BranchChoice } from "../../circulation/branches";
import { Whom } from "../../circulation/whom";
import { useWrite } from "../../shell/write";
import { Loading } from "../../ui/loading";
import { Button, Card, Field, inputLook, Trouble } from "../../ui/parts";
import { sayCount } from "../../ui/say";
import { Table, type Column } from "../../ui/table";

type Letter = Schema["NoticesLetter"];

const columns: Column<Letter>[] = [
  { id: "number", head: "No.", value: (l) => l.number, right: true },
  { id: "name", head: "Patron", value: (l) => l.name, cell: (l) => <Whom id={l.patron} name={l.name} /> },
  { id: "to", head: "Address", value: (l) => l.to.slice(1).join(", "), className: "text-sm" },
  { id: "kind", head: "Notice", value: (l) => l.kind, className: "text-sm" },
  { id: "home", head: "Home branch", value: (l) => l.home, className: "text-sm" },
];

/** Letters that wait to be printed and posted, in postal order. */
export function Letters() {
  const askAgain = useAskAgain();
  const [branch, setBranch] = useState("");
  const [paper, setPaper] = useState("a4");
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  const list = useQuery({
    queryKey: ["messages", "letters", branch],
    queryFn: () => told(api.GET("/api/letters", { params: { query: branch ? { branch } : {} } })),
  });
  const posted = useWrite(
    (messages: number[], key) =>
      api.POST("/api/letters/posted", { params: { header: keyed(key) }, body: { messages } }),
    { name: "letters posted", about: "Marking letters as posted", done: () => askAgain("messages", "mailings") },
  );
  const rows = list.data?.rows ?? [];
  const first = Number(from) || 1;
  const last = Number(to) || rows.length;
  const chosen = rows.filter((l) => l.number >= first && l.number <= last);
  const query = new URLSearchParams({ branch, paper, from: String(first), to: String(last) });
  return (
    <Card label="Letters">
      <div className="flex flex-wrap items-end gap-3 border-b border-line px-4 py-2.5 print:hidden">
        <BranchChoice label="Home branch" all="all branches" value={branch} onChange={setBranch} />
        <Field label="Paper">
          <select className={inputLook} value={paper} onChange={(e) => setPaper(e.target.value)}>
            <option value="a4">A4</option>
            <option value="letter">US Letter</option>
          </select>
        </Field>
        <Field label="From no.">
          <input
            className={`${inputLook} w-16`}
            inputMode="numeric"
            placeholder="1"
            value={from}
            onChange={(e) => setFrom(e.target.value)}
          />
        </Field>
        <Field label="To no.">
          <input
            className={`${inputLook} w-16`}
            inputMode="numeric"
            placeholder={String(rows.length)}
            value={to}
            onChange={(e) => setTo(e.target.value)}
          />
        </Field>
        {chosen.length > 0 && (
          <>
            <a
              className="link pb-1.5"
              href={`/api/letters/letters.pdf?${query.toString()}`}
              target="_blank"
              rel="noreferrer"
            >
              Print {sayCount(chosen.length, "letter")}
            </a>
            <Button plain busy={posted.busy} onClick={() => posted.run(chosen.map((l) => l.message))}>
              Mark {sayCount(chosen.length, "letter")} as posted
            </Button>
          </>
        )}
        <Trouble error={posted.problem} />
      </div>
      <Loading of={list}>
        {(all) => (
          <Table
            label="Letters"
            columns={columns}
            rows={all.rows}
            id={(l) => l.message}
            tools
            className="max-h-[62vh]"
            empty="No letters waiting. Notices that go by letter appear here once their run is sent."
          />
        )}
      </Loading>
    </Card>
  );
}
