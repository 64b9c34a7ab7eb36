import { BranchField } from "../../circulation/branches";
import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { Foot, ChoiceField, Form, TextField, TickField } from "../../ui/forms";
import { branchName, useMe } from "../../shell/me";
import { PartList, useKeep, type Shown } from "./parts";

type Station = Schema["UpkeepStation"];

const papers = [
  ["80mm", "Slips of 80 mm"],
  ["58mm", "Slips of 58 mm"],
  ["a4", "A4 sheets"],
  ["letter", "Letter sheets"],
] as const;

const schema = z.object({
  branch: check.needed("Choose a branch."),
  name: check.needed("Enter a name."),
  paper: z.enum(["80mm", "58mm", "a4", "letter"]),
  slips: z.boolean(),
  sounds: z.boolean(),
  sort_room: z.boolean(),
  pad: check.text,
  terminal: check.text,
});

/** Stations: who sits down at one chooses it once, in the menu at the top right, and it prints and sounds as it should. */
export function Stations({ rows }: { rows: Shown<Station>[] }) {
  const me = useMe();
  return (
    <PartList
      label="Stations"
      says="Choose once per browser which station it is, in the menu at the top right."
      rows={rows}
      empty="No stations yet. Without one, each browser keeps its own settings."
      add="Add station"
      part="station"
      name={(s) => s.name}
      line={({ is: s }) => (
        <>
          <b className="font-semibold">
            {branchName(me, s.branch)}, {s.name}
          </b>
          <span className="text-ink-2">
            {papers.find(([code]) => code === s.paper)?.[1]}, slips print {s.slips ? "automatically" : "on request"},
            sounds {s.sounds ? "on" : "off"}
            {s.sort_room && ", in a sort room"}
            {s.pad && ", a pad"}
            {s.terminal && ", a card terminal"}
          </span>
        </>
      )}
      form={(row, done) => <One row={row} done={done} />}
    />
  );
}

function One({ row, done }: { row?: Shown<Station>; done: () => void }) {
  const me = useMe();
  const keep = useKeep<Station>(
    `station ${row?.key ?? ""}`,
    `The station ${row?.is.name ?? ""}`,
    ({ key: id, seen, is }, key) =>
      row
        ? api.PUT("/api/network/stations/{key}", {
            params: { path: { key: id }, header: keyed(key) },
            body: { seen, is },
          })
        : api.POST("/api/network/stations", { params: { header: keyed(key) }, body: is }),
    done,
  );
  return (
    <Form
      label={row ? `Edit ${row.is.name}` : "Add station"}
      schema={schema}
      start={
        row?.is ?? {
          branch: me.branch,
          name: "",
          paper: "80mm",
          slips: false,
          sounds: true,
          sort_room: false,
          pad: "",
          terminal: "",
        }
      }
      write={keep}
      onSend={(is) => keep.run({ key: row?.key ?? "", seen: row?.seen ?? 0, is })}
      className="flex flex-wrap items-end gap-2.5"
    >
      <BranchField name="branch" />
      <TextField name="name" label="Name" />
      <ChoiceField name="paper" label="Printer paper" options={papers} />
      <TickField name="slips" label="Print slips automatically" />
      <TickField name="sounds" label="Sounds" />
      <TickField name="sort_room" label="Sort room: returns start from the bin" />
      <TextField name="pad" label="RFID pad address, such as ws://127.0.0.1:7411/pad" width="w-72" />
      <TextField name="terminal" label="Card terminal address, such as 10.20.3.15:7500" width="w-72" />
      <Foot write={keep} onLeave={done}>
        {row ? "Save" : "Add"}
      </Foot>
    </Form>
  );
}
