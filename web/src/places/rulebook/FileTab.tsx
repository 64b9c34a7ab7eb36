import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { Button, Card, Field, Tag, Trouble } from "../../kit/parts";
import { Differences } from "./CompareTab";
import type { Working } from "./Rulebook";

/** An edition as a file, out and in; what a file would change is shown before it is taken over. */
export function FileTab({ edition, supervising, after }: Working) {
  const [text, setText] = useState("");
  const [looked, setLooked] = useState<Schema["RulesLooked"]>();
  const [error, setError] = useState<unknown>();
  const bring = (take: boolean) =>
    told(api.POST("/api/rulebook/file", { params: { header: newKey() }, body: { text, take } })).then((l) => {
      setLooked(l);
      setError(undefined);
      return l;
    });
  return (
    <div className="grid gap-3.5">
      <Card label="Out" className="flex items-center gap-4 p-3.5">
        <p className="flex-1">
          {edition.state === "draft" ? "Draft" : "Edition"} {edition.number} with its calendars and examples, as a file
          that “nevrin rulebook check” works on without the network.
        </p>
        <a
          href={`/api/rulebook/editions/${edition.id}/file.json`}
          download={`rulebook-${edition.number}.json`}
          className="rounded-card border-[1.5px] border-spruce-700 px-3 py-1 font-semibold text-spruce-700"
        >
          Save as a file
        </a>
      </Card>
      {supervising && (
        <Card label="In" className="grid gap-3 p-3.5">
          <Field label="A rulebook file">
            <input
              type="file"
              accept=".json,application/json"
              onChange={(e) => void e.target.files?.[0]?.text().then((t) => (setText(t), setLooked(undefined)))}
            />
          </Field>
          <Field label="or its text">
            <textarea
              className="h-28 rounded-card border border-line-strong bg-white p-2 font-mono text-sm"
              value={text}
              onChange={(e) => (setText(e.target.value), setLooked(undefined))}
            />
          </Field>
          <Trouble error={error} />
          <div className="flex gap-2">
            <Button disabled={text.length < 2} onClick={() => void bring(false).catch(setError)}>
              See what it would change
            </Button>
            {looked && (
              <Button
                plain
                onClick={() =>
                  void after(
                    bring(true).then((l) => {
                      if (!l.edition) throw new Error("It was not taken over.");
                      return l.edition;
                    }),
                  )
                }
              >
                Take it over as a draft
              </Button>
            )}
          </div>
          <p className="text-sm text-ink-2">
            Rules, ranking and examples are taken over as a draft; calendars stay as they are here.
          </p>
        </Card>
      )}
      {looked && (
        <>
          <p>
            {looked.count} rules and {looked.examples} examples, against the edition in force.
            {looked.failing!.length > 0 && (
              <>
                {" "}
                <Tag tone="buoy">Do not hold here</Tag> {looked.failing!.join(", ")}.
              </>
            )}
            {looked.unknown!.length > 0 && (
              <>
                {" "}
                <Tag tone="amber">Unknown here</Tag> {looked.unknown!.join(", ")}.
              </>
            )}
          </p>
          <Differences data={looked} what="The file" />
        </>
      )}
    </div>
  );
}
