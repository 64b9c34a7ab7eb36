import { useAskAgain } from "../../../api/asked";
import { useState } from "react";
import { api, keyed, type Schema } from "../../../api/client";
import { useMe } from "../../../shell/me";
import { Button, Card, Field, inputLook, Quiet, Trouble } from "../../../ui/parts";
import { Table } from "../../../ui/table";
import { useWrite } from "../../../shell/write";
import { useNetwork } from "../parts";
import type { Intake } from "./sending";

type Mapping = Schema["IntakeMapping"];
type Source = Schema["IntakeSource"];
type Of = Schema["IntakeField"];

const dates = ["date", "instant"];

/** Which column says what, and what its codes mean; proposed, looked at, and kept for the next file from there. */
export function HowItIsRead({ intake: n, onTried }: { intake: Intake; onTried: () => void }) {
  const askAgain = useAskAgain();
  const [mapping, setMapping] = useState<Mapping>(n.mapping ?? { from: {}, order: "day" });
  const [all, setAll] = useState(false);
  // A field that was used stays in sight when its column is taken away: it may get a value for all.
  const [touched, setTouched] = useState<string[]>([]);
  const attempt = useWrite(
    (body: Mapping, key) =>
      api.POST("/api/intakes/{id}/try", { params: { path: { id: n.id }, header: keyed(key) }, body }),
    {
      name: `try intake ${n.id}`,
      about: "Testing the file",
      done: () => {
        onTried();
        askAgain("intakes");
      },
    },
  );
  const { seen } = n;
  if (!seen) return null;
  const put = (field: string, source: Source) => {
    const from = { ...mapping.from, [field]: source };
    if (!source.columns?.length && !source.always) delete from[field];
    setMapping({ ...mapping, from });
    if (!touched.includes(field)) setTouched([...touched, field]);
  };
  const used = n.fields.filter((f) => f.must || mapping.from[f.name] || touched.includes(f.name));
  const unused = seen.heads.filter((h) => !Object.values(mapping.from).some((s) => s.columns?.includes(h)));
  return (
    <Card label="Columns" className="grid gap-3 p-3.5">
      <h2 className="font-semibold">Columns</h2>
      <p>
        {seen.lines.toLocaleString("en")} {seen.form === "csv" ? "lines" : "records"}
        {seen.form === "csv"
          ? `, letters in ${seen.charset}, cells separated by ${separators[seen.separator] ?? seen.separator}`
          : ""}
        {seen.wrong > 0 ? `; ${seen.wrong} of them cannot be read and will be skipped` : ""}.{" "}
        {unused.length > 0 && seen.form === "csv" && `Not used: ${unused.join(", ")}.`}
      </p>
      <div className="grid gap-1.5">
        {(all ? n.fields : used).map((f) => (
          <OneField
            key={f.name}
            field={f}
            intake={n}
            source={mapping.from[f.name] ?? {}}
            onPut={(s) => put(f.name, s)}
          />
        ))}
      </div>
      <div>
        <Quiet onClick={() => setAll(!all)}>{all ? "Show used fields only" : "Show all fields"}</Quiet>
      </div>
      {(all ? n.fields : used).some((f) => dates.includes(f.form)) && (
        <Field label="Date order">
          <select
            className={inputLook}
            value={mapping.order}
            onChange={(e) => setMapping({ ...mapping, order: e.currentTarget.value as Mapping["order"] })}
          >
            <option value="day">Day first, as 31.5.2026</option>
            <option value="month">Month first, as 5/31/2026</option>
          </select>
        </Field>
      )}
      <FirstRows intake={n} />
      <div>
        <Button disabled={attempt.busy} onClick={() => attempt.run(mapping)}>
          Test import
        </Button>{" "}
        <span className="text-ink-2">Nothing is imported yet.</span>
      </div>
      <Trouble error={attempt.problem} />
    </Card>
  );
}

const separators: Record<string, string> = { ",": "commas", ";": "semicolons", "\t": "tabs" };

function OneField({
  field: f,
  intake: n,
  source,
  onPut,
}: {
  field: Of;
  intake: Intake;
  source: Source;
  onPut: (s: Source) => void;
}) {
  const heads = n.seen?.heads ?? [];
  const columns = source.columns ?? [];
  const coded = useCodes(f.form);
  const values = columns.length === 1 ? (n.seen?.values?.[columns[0] ?? ""] ?? []) : [];
  const unknown = coded ? values.filter((v) => !isOurs(coded, v)) : [];
  return (
    <div
      role="group"
      aria-label={f.says}
      className="grid grid-cols-[minmax(0,16rem)_14rem_minmax(0,1fr)] items-start gap-x-3"
    >
      <span className="pt-1">
        {f.says}
        {f.must && <span className="text-ink-2"> (needed)</span>}
      </span>
      <select
        aria-label={`Column for: ${f.says}`}
        className={inputLook}
        value={columns.length > 1 ? columns.join("\u0000") : (columns[0] ?? "")}
        onChange={(e) => {
          const chosen = e.currentTarget.value;
          onPut({ ...source, columns: chosen ? chosen.split("\u0000") : [], codes: {} });
        }}
      >
        <option value="">no column</option>
        {columns.length > 1 && <option value={columns.join("\u0000")}>{columns.join(" and ")}</option>}
        {heads.map((h) => (
          <option key={h}>{h}</option>
        ))}
      </select>
      <div className="grid gap-1">
        {coded ? (
          <select
            aria-label={`Default for: ${f.says}`}
            className={inputLook}
            value={source.always ?? ""}
            onChange={(e) => onPut({ ...source, always: e.currentTarget.value })}
          >
            <option value="">{columns.length ? "default: none" : "nothing"}</option>
            {coded.map(([code, name]) => (
              <option key={code} value={code}>
                {columns.length ? "default: " : "for all: "}
                {name}
              </option>
            ))}
          </select>
        ) : (
          <input
            aria-label={`Default for: ${f.says}`}
            className={inputLook}
            placeholder={columns.length ? "default" : "for all"}
            value={source.always ?? ""}
            maxLength={300}
            onChange={(e) => onPut({ ...source, always: e.currentTarget.value })}
          />
        )}
        {coded &&
          unknown.map((v) => (
            <label key={v} className="flex items-center gap-2">
              <span className="min-w-24 font-semibold break-all">{v}</span> means
              <select
                className={inputLook}
                value={source.codes?.[v] ?? ""}
                onChange={(e) => onPut({ ...source, codes: saying(source.codes ?? {}, v, e.currentTarget.value) })}
              >
                <option value="">no match: skip these lines</option>
                {coded.map(([code, name]) => (
                  <option key={code} value={code}>
                    {name}
                  </option>
                ))}
              </select>
            </label>
          ))}
      </div>
    </div>
  );
}

/** What their values mean, with one said anew; one that means nothing we have is not said at all. */
function saying(codes: Record<string, string>, theirs: string, ours: string) {
  const said = { ...codes, [theirs]: ours };
  if (!ours) delete said[theirs];
  return said;
}

/** Whether the server knows a value by itself: it is one of our codes or names, in whatever letters. */
const isOurs = (coded: [string, string][], value: string) => {
  const is = value.trim().toLowerCase();
  return coded.filter((names) => names.some((name) => name.toLowerCase() === is)).length === 1;
};

const plainCodes: Partial<Record<Of["form"], [string, string][]>> = {
  standing: [
    ["active", "active"],
    ["inactive", "inactive"],
    ["excluded", "excluded"],
  ],
  item_standing: [
    ["in_use", "in use"],
    ["missing", "missing"],
    ["aside", "set aside"],
    ["lost", "lost"],
    ["withdrawn", "withdrawn"],
  ],
  hold_state: [
    ["waiting", "waiting"],
    ["fetching", "waiting, being fetched"],
    ["moving", "waiting, in transit"],
    ["ready", "ready on the hold shelf"],
  ],
  about: [
    ["late", "lateness"],
    ["lost", "lost item"],
    ["processing", "processing"],
    ["membership", "membership"],
    ["uncollected", "uncollected hold"],
    ["outside", "interlibrary"],
    ["manual", "other"],
  ],
};

/** Our codes of a form, with their names; undefined where it has none. */
function useCodes(form: Of["form"]): [string, string][] | undefined {
  const network = useNetwork().data;
  const { branches } = useMe();
  const plain = plainCodes[form];
  if (plain) return plain;
  if (form === "branch") return branches.map((b) => [b.code, b.name]);
  if (form !== "patron" && form !== "material" && form !== "collection") return undefined;
  return (network?.classes ?? [])
    .filter((c) => c.key.startsWith(`${form}:`) && !c.is.retired)
    .map((c) => [c.key.slice(form.length + 1), c.is.name]);
}

interface FirstRow {
  at: number;
  cells: string[];
}

/** The first rows as the file has them. */
function FirstRows({ intake: n }: { intake: Intake }) {
  const seen = n.seen;
  if (!seen || seen.first.length === 0) return null;
  const shown = seen.heads.map((_, k) => k).filter((k) => seen.first.some((row) => row[k]));
  return (
    <Table
      label="First rows"
      columns={shown.map((k) => ({
        id: String(k),
        head: seen.heads[k] ?? "",
        value: ({ cells }: FirstRow) => cells[k] ?? "",
      }))}
      rows={seen.first.map((cells, at) => ({ at, cells }))}
      id={(row) => row.at}
      empty="None."
      className="max-h-64"
    />
  );
}
