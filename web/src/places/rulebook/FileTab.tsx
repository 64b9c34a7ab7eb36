import { sayCount } from "../../ui/say";
import { useState } from "react";
import { api, keyed, type Schema } from "../../api/client";
import { Button, Card, Field, Tag, Trouble } from "../../ui/parts";
import { useWrite } from "../../shell/write";
import { Differences } from "./CompareTab";
import { useDraftWrite } from "./draft";
import type { Working } from "./types";

type Looked = Schema["RulesLooked"];

const bring = (text: string, take: boolean, key: string) =>
  api.POST("/api/rulebook/file", { params: { header: keyed(key) }, body: { text, take } });

/** An edition as a file, out and in; what a file would change is shown before it is taken over. */
export function FileTab({ edition, supervising }: Working) {
  const [looked, setLooked] = useState<Looked>();
  return (
    <div className="grid gap-3.5">
      <Card label="Export" className="flex flex-wrap items-center gap-4 p-3.5">
        <p className="min-w-64 flex-1">
          {edition.state === "draft" ? "Draft" : "Edition"} {edition.number} with its calendars and examples, as a file
          you can check with “nevrin rulebook check”.
        </p>
        <a
          href={`/api/rulebook/editions/${edition.id}/file.json`}
          download={`rulebook-${edition.number}.json`}
          className="rounded-card border-[1.5px] border-spruce-700 px-3 py-1 font-semibold text-spruce-700"
        >
          Export file
        </a>
      </Card>
      {supervising && <In looked={looked} onLooked={setLooked} />}
      {looked && (
        <>
          <p>
            {sayCount(looked.count, "rule")} and {sayCount(looked.examples, "example")}, against the edition in force.
            {looked.failing.length > 0 && (
              <>
                {" "}
                <Tag tone="buoy">Not valid here</Tag> {looked.failing.join(", ")}.
              </>
            )}
            {looked.unknown.length > 0 && (
              <>
                {" "}
                <Tag tone="amber">Unknown here</Tag> {looked.unknown.join(", ")}.
              </>
            )}
          </p>
          <Differences data={looked} what="File" />
        </>
      )}
    </div>
  );
}

function In({ looked, onLooked }: { looked?: Looked; onLooked: (l?: Looked) => void }) {
  const [text, setText] = useState("");
  const look = useWrite((t: string, key) => bring(t, false, key), { about: "Reading the file", done: onLooked });
  const take = useDraftWrite(
    "take over a file",
    "Importing the file",
    (t: string, key) => bring(t, true, key),
    (l) => l.edition,
    onLooked,
  );
  const read = (t: string) => {
    setText(t);
    onLooked(undefined);
  };
  return (
    <Card label="Import" className="grid gap-3 p-3.5">
      <Field label="A rulebook file">
        <input
          type="file"
          accept=".json,application/json"
          onChange={(e) => void e.target.files?.[0]?.text().then(read)}
        />
      </Field>
      <Field label="or paste its text">
        <textarea
          className="h-28 rounded-card border border-edge bg-field p-2 font-mono text-sm"
          value={text}
          onChange={(e) => read(e.target.value)}
        />
      </Field>
      <Trouble error={look.problem ?? take.problem} />
      <div className="flex flex-wrap gap-2">
        <Button disabled={text.length < 2} busy={look.busy} onClick={() => look.run(text)}>
          Preview
        </Button>
        {looked && (
          <Button plain busy={take.busy} onClick={() => take.run(text)}>
            Import as draft
          </Button>
        )}
      </div>
      <p className="text-sm text-ink-2">
        Rules, ranking and examples are imported as a draft; calendars are not changed.
      </p>
    </Card>
  );
}
