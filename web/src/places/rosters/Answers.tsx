import { useState } from "react";
import { api, keyed, type Schema } from "../../api/client";
import { usePreview } from "../../shell/preview";
import { PreviewAndApply } from "../../shell/apply";
import { Card, Field, inputLook } from "../../ui/parts";
import { useAgain } from "./roster";
import { OddLines, SheetFields, useSheets } from "./sheets";
import { TakeBack } from "./TakeBack";

type What = Schema["RostersConsenting"]["what"];
type Answer = Schema["RostersConsenting"]["answer"];
type Consented = Schema["RostersConsented"];

const answers: Record<What, { name: string; options: Answer[] }> = {
  older_reader: { name: "Older-reader material", options: ["yes", "no"] },
  internet: { name: "Internet", options: ["none", "filtered", "full"] },
  photo: { name: "Photographs", options: ["yes", "no"] },
};

/** The answers of a whole year, which a school brings as a list. */
export function Answers() {
  const again = useAgain();
  const sheets = useSheets();
  const [what, setWhat] = useState<What>("older_reader");
  const [answer, setAnswer] = useState<Answer>("");
  const [reason, setReason] = useState("");
  const given = { what, answer, lists: sheets.lists };
  const preview = usePreview(
    { ...given, reason },
    (body, key) => api.POST("/api/consents-of-many", { params: { header: keyed(key) }, body }),
    { name: "consents of many", about: "Answers from lists", of: given, done: () => (sheets.clear(), again()) },
  );
  return (
    <Card label="Consents" className="grid gap-3 p-3.5">
      <h2 className="font-semibold">Record guardians’ answers for many pupils</h2>
      <SheetFields
        of={sheets}
        says={`One card or school number per line${answer === "" ? ", with the answer" : ""}.`}
      />
      <div className="flex flex-wrap items-end gap-2.5">
        <Field label="Consent">
          <select
            className={inputLook}
            value={what}
            onChange={(e) => {
              setWhat(e.target.value as What);
              setAnswer("");
            }}
          >
            {(Object.keys(answers) as What[]).map((w) => (
              <option key={w} value={w}>
                {answers[w].name}
              </option>
            ))}
          </select>
        </Field>
        <Field label="Answer">
          <select className={inputLook} value={answer} onChange={(e) => setAnswer(e.target.value as Answer)}>
            <option value="">as in the list ({answers[what].options.join(", ")})</option>
            {answers[what].options.map((o) => (
              <option key={o} value={o}>
                {o}, for all
              </option>
            ))}
          </select>
        </Field>
        <Field label="Source">
          <input
            className={`${inputLook} w-72`}
            maxLength={300}
            placeholder="autumn letters from the school"
            value={reason}
            onChange={(e) => setReason(e.target.value)}
          />
        </Field>
      </div>
      <PreviewAndApply
        preview={preview}
        disabled={sheets.lists.length === 0 || sheets.tooLong}
        lacks={reason.trim() === "" && "Enter the source first."}
        show={(c) => <WhatOf c={c} />}
        after={(did) => did.deed > 0 && <TakeBack deed={did.deed} onDone={preview.forget} />}
      />
    </Card>
  );
}

function WhatOf({ c }: { c: Consented }) {
  return (
    <div className="grid gap-2">
      <p className="text-sm text-ink-2">{c.read.join(" ")}</p>
      <p>
        {c.first} new, {c.other} changed, {c.same} unchanged.
        {c.other > 0 && " Changed answers need a staff member who can change consents."}
      </p>
      <OddLines rows={c.odd} all={c.odd_all} />
    </div>
  );
}
