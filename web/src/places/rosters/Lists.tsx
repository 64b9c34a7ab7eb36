import { BranchChoice } from "../../circulation/branches";
import { useState } from "react";
import { Link } from "@tanstack/react-router";
import { api, keyed, type Schema } from "../../api/client";
import { useMe } from "../../shell/me";
import { usePreview } from "../../shell/preview";
import { PreviewAndApply } from "../../shell/apply";
import { Card, Field, inputLook, Tag } from "../../ui/parts";
import { useAgain, type Roster, type Writing } from "./roster";
import { OddLines, SheetFields, useSheets } from "./sheets";
import { TakeBack } from "./TakeBack";

type Filled = Schema["RostersFilled"];

/** Rosters are filled from lists: looked at first, then done. Into one roster, or into those that the lists name. */
export function Lists({ into }: { into?: Roster }) {
  const me = useMe();
  const again = useAgain();
  const sheets = useSheets();
  const [how, setHow] = useState<Writing>({
    kind: "class",
    name: "",
    branch: me.branch,
    school: "",
    school_year: "",
    adult: 0,
    revision: 0,
  });
  const [only, setOnly] = useState(false);
  const preview = usePreview(
    { roster: into?.id ?? 0, new: how, lists: sheets.lists, only },
    (body, key) => api.POST("/api/rosters-filled", { params: { header: keyed(key) }, body }),
    {
      name: `fill rosters ${into?.id ?? 0}`,
      about: "Filling rosters from lists",
      done: () => (sheets.clear(), again()),
    },
  );
  const set = (by: Partial<Writing>) => setHow({ ...how, ...by });
  return (
    <Card label="Import lists" className="grid gap-3 p-3.5">
      <h2 className="font-semibold">{into ? `Import a list into ${into.name}` : "Import lists into rosters"}</h2>
      <SheetFields
        of={sheets}
        says={
          into
            ? "One card or school number per line."
            : "One card or school number per line. A column named class sets the roster; otherwise the file name does."
        }
      />
      {!into && (
        <div className="flex flex-wrap items-end gap-2.5">
          <Field label="Type">
            <select
              className={inputLook}
              value={how.kind}
              onChange={(e) => set({ kind: e.target.value as Writing["kind"] })}
            >
              <option value="class">school classes</option>
              <option value="club">clubs</option>
            </select>
          </Field>
          <Field label="Roster for the pasted list">
            <input
              className={inputLook}
              maxLength={80}
              value={how.name}
              onChange={(e) => set({ name: e.target.value })}
            />
          </Field>
          <Field label="School">
            <input
              className={inputLook}
              maxLength={120}
              value={how.school}
              onChange={(e) => set({ school: e.target.value })}
            />
          </Field>
          {how.kind === "class" && (
            <Field label="School year">
              <input
                className={`${inputLook} w-24`}
                maxLength={20}
                value={how.school_year}
                onChange={(e) => set({ school_year: e.target.value })}
              />
            </Field>
          )}
          <BranchChoice value={how.branch} onChange={(branch) => set({ branch })} />
        </div>
      )}
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={only} onChange={(e) => setOnly(e.target.checked)} /> Remove members who are not
        in the list
      </label>
      <PreviewAndApply
        preview={preview}
        disabled={sheets.lists.length === 0 || sheets.tooLong}
        show={(filled, would) => <What filled={filled} would={would} />}
        after={(did) => did.deed > 0 && <TakeBack deed={did.deed} onDone={preview.forget} />}
      />
    </Card>
  );
}

const counted = (n: number, what: string) => n > 0 && `${n} ${what}`;

/** Those who come in by name; who stands out among the others comes first. */
function Who({ of: r }: { of: Filled["rosters"][number] }) {
  if (r.who.length === 0) return null;
  const odd = r.who.filter((w) => w.odd);
  return (
    <div className="w-full text-sm">
      {odd.map((w) => (
        <p key={w.patron} className="text-amber-700">
          {w.name} {w.odd}.
        </p>
      ))}
      <p className="text-ink-2">
        {r.who.map((w) => w.name).join(", ")}
        {r.added > r.who.length && ` and ${r.added - r.who.length} more`}
      </p>
    </div>
  );
}

/** What came of lists, or would come, roster by roster. */
function What({ filled, would }: { filled: Filled; would?: boolean }) {
  return (
    <div className="grid gap-2">
      <p className="text-sm text-ink-2">{filled.read.join(" ")}</p>
      <ul className="grid gap-0.5">
        {filled.rosters.map((r) => (
          <li key={r.name} className="flex flex-wrap items-baseline gap-x-2">
            {r.id > 0 ? (
              <Link to="/rosters" search={{ roster: r.id }} className="link font-semibold">
                {r.name}
              </Link>
            ) : (
              <b className="font-semibold">{r.name}</b>
            )}
            {r.new && <Tag tone="tide">{would ? "to be added" : "made"}</Tag>}
            {[
              `${r.added} ${would ? "to be added" : "added"}`,
              counted(r.moved, "of them from another class"),
              counted(r.there, "already members"),
              counted(r.leaves, would ? "to be removed" : "left"),
            ]
              .filter(Boolean)
              .join(", ")}
            <Who of={r} />
          </li>
        ))}
      </ul>
      <OddLines rows={filled.odd} all={filled.odd_all} />
    </div>
  );
}
