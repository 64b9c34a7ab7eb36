import { Link, useNavigate } from "@tanstack/react-router";
import { useAskAgain } from "../../../api/asked";
import { useId, useState } from "react";
import { api, keyed, told } from "../../../api/client";
import { Loading } from "../../../ui/loading";
import { usePages } from "../../../ui/pages";
import { Button, Card, Field, inputLook, Trouble } from "../../../ui/parts";
import { sayInstant } from "../../../ui/say";
import { Table, type Column } from "../../../ui/table";
import { useWrite } from "../../../shell/write";
import { OneFile } from "./OneFile";
import { send, type Intake } from "./sending";
import { kinds, StateOf } from "./words";

/** Files of another system: sent, tried, taken in and undone. */
export function MovingIn({ file }: { file?: number }) {
  if (file) return <OneFile key={file} id={file} />;
  return (
    <div className="grid gap-3.5">
      <Begin />
      <Files />
    </div>
  );
}

const columns: Column<Intake>[] = [
  { id: "at", head: "Sent", value: (n) => n.begun_at, cell: (n) => sayInstant(n.begun_at) },
  { id: "source", head: "From", value: (n) => n.source },
  { id: "kind", head: "Contents", value: (n) => kinds[n.kind].name },
  {
    id: "file",
    head: "File",
    value: (n) => n.file,
    cell: (n) => (
      <Link to="/network" search={{ tab: "moving", file: n.id }} className="link font-semibold">
        {n.file}
      </Link>
    ),
  },
  { id: "state", head: "Status", value: (n) => n.state, cell: (n) => <StateOf intake={n} /> },
  { id: "who", head: "Who", value: (n) => n.who },
];

function Files() {
  const list = usePages(["intakes"], (after) => told(api.GET("/api/intakes", { params: { query: { after } } })));
  return (
    <Card label="Imported files">
      <Loading of={list}>
        {(rows) => (
          <Table
            label="Imported files"
            columns={columns}
            rows={rows}
            id={(n) => n.id}
            pages={list.pages}
            empty="No files yet. Start with patrons, then stock, then open loans, holds and amounts owed."
          />
        )}
      </Loading>
    </Card>
  );
}

/** Says what a file is and where it comes from, and sends it. */
function Begin() {
  const navigate = useNavigate();
  const askAgain = useAskAgain();
  const id = useId();
  const [kind, setKind] = useState<Intake["kind"]>("patrons");
  const [source, setSource] = useState("");
  const [file, setFile] = useState<File>();
  const [lacks, setLacks] = useState("");
  const begin = useWrite(
    (chosen: File, key) =>
      api.POST("/api/intakes", {
        params: { header: keyed(key) },
        body: { kind, source, file: chosen.name, bytes: chosen.size },
      }),
    {
      name: "begin intake",
      about: "Uploading the file",
      done: (intake, chosen) => {
        void send(intake, chosen);
        askAgain("intakes");
      },
      go: (intake) => void navigate({ to: "/network", search: { tab: "moving", file: intake.id } }),
    },
  );
  return (
    <Card label="Import a file" className="grid gap-2.5 p-3.5">
      <h2 className="font-semibold">Import</h2>
      <p className="max-w-prose">
        Import patrons, titles with items, open loans, open holds and amounts owed from files. Each file is tested line
        by line before it is imported as a whole, and the import can be undone. Import the same file again to bring in
        its changes.
      </p>
      <form
        aria-label="Import a file"
        className="flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          const missing = !source.trim() ? "Enter the source system." : file ? "" : "Choose a file.";
          setLacks(missing || (file?.size === 0 ? "This file is empty." : ""));
          if (!missing && file && file.size > 0) begin.run(file);
        }}
      >
        <Field label="Contents">
          <select className={inputLook} value={kind} onChange={(e) => setKind(e.currentTarget.value as Intake["kind"])}>
            {Object.entries(kinds).map(([k, { name }]) => (
              <option key={k} value={k}>
                {name}
              </option>
            ))}
          </select>
        </Field>
        <Field label="Source system">
          <input
            className={`${inputLook} w-60`}
            value={source}
            maxLength={60}
            placeholder="For example: Old system"
            onChange={(e) => setSource(e.currentTarget.value)}
          />
        </Field>
        <div className="grid gap-1 text-sm text-ink-2">
          <label htmlFor={id}>{kinds[kind].forms}</label>
          <input
            id={id}
            type="file"
            className="file:mr-2 file:cursor-pointer file:rounded-card file:border file:border-edge file:bg-field file:px-2.5 file:py-1 file:text-ink"
            onChange={(e) => setFile(e.currentTarget.files?.[0])}
          />
        </div>
        <Button type="submit" disabled={begin.busy}>
          Upload
        </Button>
      </form>
      {lacks && (
        <p role="alert" className="text-buoy-700">
          {lacks}
        </p>
      )}
      <Trouble error={begin.problem} />
    </Card>
  );
}
