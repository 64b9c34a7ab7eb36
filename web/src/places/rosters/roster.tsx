import { BranchField } from "../../circulation/branches";
import { useAskAgain } from "../../api/asked";
import { useCallback } from "react";
import { z } from "zod";
import type { Schema } from "../../api/client";
import { PatronField } from "../../circulation/choose";
import * as check from "../../ui/checks";
import { ChoiceField, TextField, saysOf } from "../../ui/forms";

export type Roster = Schema["RostersRoster"];
export type Writing = Schema["RostersWriting"];

export const written = z.object({
  kind: z.enum(["class", "club"]),
  name: check.needed("Enter a name, such as 5b."),
  branch: check.needed("Choose a branch."),
  school: check.text,
  school_year: check.text,
  adult: z.object({ id: z.number(), name: z.string(), text: z.string() }).optional(),
});

export type Said = z.infer<typeof written>;

const useSaid = saysOf<Said>();

export const toWriting = (s: Said, revision: number): Writing => ({ ...s, adult: s.adult?.id ?? 0, revision });

export const toSaid = (r: Roster): Said => ({
  kind: r.kind,
  name: r.name,
  branch: r.branch,
  school: r.school,
  school_year: r.school_year,
  adult: r.adult ? { id: r.adult, name: r.adult_name, text: "" } : undefined,
});

/** What is written of a roster; of one that is there, its kind stays. */
export function RosterFields({ isNew }: { isNew: boolean }) {
  const kind = useSaid("kind");
  return (
    <div className="flex flex-wrap items-start gap-2.5">
      {isNew && (
        <ChoiceField
          name="kind"
          label="Type"
          options={[
            ["class", "School class"],
            ["club", "Club"],
          ]}
        />
      )}
      <TextField name="name" label="Name" width="w-32" maxLength={80} />
      <TextField name="school" label="School" width="w-48" maxLength={120} />
      {kind === "class" && <TextField name="school_year" label="School year" width="w-24" maxLength={20} />}
      <BranchField name="branch" />
      <PatronField name="adult" label="Adult in charge" />
    </div>
  );
}

/** Looks at rosters again, after something was done with them. */
export function useAgain() {
  const askAgain = useAskAgain();
  return useCallback(() => {
    askAgain("rosters", "roster", "roster members", "deeds", "beside", "patron", "record");
  }, [askAgain]);
}

export const sayKind = { class: "School class", club: "Club" } as const;
