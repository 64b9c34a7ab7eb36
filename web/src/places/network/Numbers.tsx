import { BranchField } from "../../circulation/branches";
import { useState } from "react";
import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { Foot, ChoiceField, Form, TextField, TickField } from "../../ui/forms";
import { branchName, useMe } from "../../shell/me";
import { Button, Card, Code, Quiet, Tag, Trouble } from "../../ui/parts";
import { administrates } from "../../shell/places";
import { useKeep, type Shown } from "./parts";

type Numbers = Schema["IdentNumbers"];
type Pattern = Schema["IdentPattern"];

const checks = [
  ["none", "None"],
  ["luhn", "Luhn (ISO/IEC 7812-1)"],
  ["mod10", "Modulus 10, weights 3 and 1"],
  ["mod11", "Modulus 11, growing weights"],
  ["mod11_2", "ISO/IEC 7064, MOD 11-2"],
  ["mod11_10", "ISO/IEC 7064, MOD 11,10"],
] as const;

const uses = [
  ["given", "Used for new numbers"],
  ["older", "Older: still read"],
  ["guest", "For items borrowed from partners"],
] as const;

const schema = z.object({
  name: check.needed("Enter a name."),
  of: z.enum(["card", "item"]),
  use: z.enum(["given", "older", "guest"]),
  branch: z.string(),
  library: check.text,
  begins: z
    .string()
    .trim()
    .toUpperCase()
    .regex(/^[0-9A-Z]*$/, "Use digits and letters."),
  length: z
    .string()
    .regex(/^\d+$/, "Enter a whole number.")
    .refine((t) => Number(t) >= 3 && Number(t) <= 30, "Enter a number from 3 to 30."),
  letters: z.boolean(),
  check: z.enum(["none", "luhn", "mod10", "mod11", "mod11_2", "mod11_10"]),
  groups: z
    .string()
    .trim()
    .regex(/^(\d+([ ,]+\d+)*)?$/, "Enter groups such as 1 4 5 4."),
});

type Said = z.infer<typeof schema>;

const none: Pattern = {
  name: "",
  of: "card",
  use: "given",
  branch: "",
  library: "",
  begins: "",
  length: 14,
  letters: false,
  check: "luhn",
  groups: [],
};

const said = (p: Pattern): Said => ({ ...p, length: String(p.length), groups: p.groups.join(" ") });
const pattern = (v: Said): Pattern => ({
  ...v,
  length: Number(v.length),
  groups: v.groups.split(/[ ,]+/).filter(Boolean).map(Number),
});

/** How numbers of cards and labels look: nothing about them is fixed anywhere else. */
export function NumberPatterns({ row: now }: { row: Shown<Numbers> }) {
  const [row, setRow] = useState(now); // as it was when this was opened: others are not overwritten
  const may = administrates(useMe().role);
  const [open, setOpen] = useState<number>();
  const keep = useKeep<Numbers>(
    "numbers",
    "Number formats",
    ({ seen, is }, key) => api.PUT("/api/network/numbers", { params: { header: keyed(key) }, body: { seen, is } }),
    (kept, is) => {
      setRow({ key: "", seen: kept.seen, is });
      setOpen(undefined);
    },
  );
  const list = row.is.patterns;
  const send = (patterns: Pattern[]) => keep.run({ key: "", seen: row.seen, is: { patterns } });
  return (
    <Card label="Card and label numbers">
      <div className="flex flex-wrap items-baseline gap-x-3 border-b border-line px-4 py-2.5">
        <h2 className="font-semibold">Card and label numbers</h2>
        <p className="text-ink-2">If several formats match, the one with the longest prefix is used.</p>
        {may && (
          <Button plain className="ml-auto" onClick={() => setOpen(open === list.length ? undefined : list.length)}>
            Add a format
          </Button>
        )}
      </div>
      <Trouble error={keep.problem} />
      <ul className="divide-y divide-line">
        {list.map((p, k) => (
          <li key={p.name} className="px-4 py-2">
            <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
              <b className="font-semibold">{p.name}</b>
              <Code>
                {p.begins}
                {"·".repeat(Math.max(p.length - p.begins.length - (p.check === "none" ? 0 : 1), 0))}
                {p.check !== "none" && "c"}
              </Code>
              <Says pattern={p} />
              {may && (
                <Quiet
                  className="ml-auto text-sm"
                  aria-label={`Edit ${p.name}`}
                  onClick={() => setOpen(open === k ? undefined : k)}
                >
                  {open === k ? "close" : "change"}
                </Quiet>
              )}
            </div>
            {open === k && (
              <One
                start={p}
                write={keep}
                onKeep={(is) => send(list.map((o, n) => (n === k ? is : o)))}
                onDrop={() => send(list.filter((_, n) => n !== k))}
                onLeave={() => setOpen(undefined)}
              />
            )}
          </li>
        ))}
        {open === list.length && (
          <li className="px-4 py-2">
            <One start={none} write={keep} onKeep={(is) => send([...list, is])} onLeave={() => setOpen(undefined)} />
          </li>
        )}
      </ul>
    </Card>
  );
}

function Says({ pattern: p }: { pattern: Pattern }) {
  const me = useMe();
  const whose = p.library || (p.branch && branchName(me, p.branch));
  return (
    <>
      <span className="text-ink-2">
        {p.of === "card" ? "cards" : "labels"}
        {whose && ` of ${whose}`}, {p.length} {p.letters ? "digits and letters" : "digits"}
        {p.check === "none" ? ", no check digit" : `, c: ${checks.find(([c]) => c === p.check)?.[1]}`}
      </span>
      {p.use === "older" && <Tag tone="plain">Still read, no longer issued</Tag>}
      {p.use === "guest" && <Tag tone="plum">For partner items</Tag>}
    </>
  );
}

function One({
  start,
  write,
  onKeep,
  onDrop,
  onLeave,
}: {
  start: Pattern;
  write: { busy: boolean };
  onKeep: (p: Pattern) => void;
  onDrop?: () => void;
  onLeave: () => void;
}) {
  return (
    <Form
      label="Format"
      schema={schema}
      start={said(start)}
      onSend={(v) => onKeep(pattern(v))}
      className="mt-2 grid max-w-3xl gap-2.5 md:grid-cols-4"
    >
      <TextField name="name" label="Name" />
      <ChoiceField
        name="of"
        label="For"
        options={[
          ["card", "Cards"],
          ["item", "Labels"],
        ]}
      />
      <ChoiceField name="use" label="Use" options={uses} />
      <BranchField name="branch" all="all" />
      <TextField name="begins" label="Starts with" />
      <TextField name="length" label="Total length" inputMode="numeric" />
      <ChoiceField name="check" label="Check digit" options={checks} />
      <TextField name="groups" label="Shown in groups of" placeholder="1 4 5 4" />
      <TextField name="library" label="Name of the other library, if these are its cards" className="md:col-span-2" />
      <TickField name="letters" label="May contain letters" className="self-end md:col-span-2" />
      <span className="flex gap-2 md:col-span-4">
        <Foot write={write} onLeave={onLeave}>
          Save
        </Foot>
        {onDrop && (
          <Button plain busy={write.busy} onClick={onDrop}>
            Remove
          </Button>
        )}
      </span>
    </Form>
  );
}
