import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { useStill } from "../../ui/words";
import { Loading } from "../../ui/loading";
import { Button, Card, Code, Empty, Field, inputLook, Quiet, Tag, Trouble } from "../../ui/parts";
import { useKeeping, useTelling, type Shown, type Telling, type Wording } from "./telling";

/** What was typed and not saved, by wording, until the window is closed: a scan in the middle opens another place. */
const drafts = new Map<string, { seen: number; name: string; text: Schema["PlanText"] }>();

/** The language that every wording has. */
const language = "en";

/** The wordings of notices: each looked at with a real case beside. */
export function Wordings() {
  const telling = useTelling();
  const [open, setOpen] = useState<Shown<Wording>>();
  return (
    <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(240px,320px)_minmax(0,1fr)]">
      <Card label="Wordings">
        <Loading of={telling}>
          {(t) => (
            <ul className="max-h-[74vh] divide-y divide-line overflow-auto">
              {t.wordings.map((w) => (
                <li key={w.key} className="flex items-baseline gap-2 px-4 py-2">
                  <Quiet aria-pressed={open?.key === w.key} onClick={() => setOpen(w)}>
                    {w.is.name}
                  </Quiet>
                  {drafts.has(w.key) && <Tag tone="amber">not saved</Tag>}
                  {w.is.kind && (
                    <Quiet
                      className="ml-auto text-sm"
                      aria-label={`Copy ${w.is.name}`}
                      onClick={() => setOpen({ key: "", seen: 0, is: { ...w.is, name: `${w.is.name}, copy` } })}
                    >
                      Copy
                    </Quiet>
                  )}
                </li>
              ))}
            </ul>
          )}
        </Loading>
      </Card>
      {open && telling.data ? (
        <One
          key={`${open.key} ${open.seen} ${open.is.name}`}
          of={open}
          telling={telling.data}
          onClose={() => setOpen(undefined)}
        />
      ) : (
        <Card label="Wording">
          <Empty>Choose a wording. What it says stands beside it, with the last patron who was told.</Empty>
        </Card>
      )}
    </div>
  );
}

function One({ of, telling, onClose }: { of: Shown<Wording>; telling: Telling; onClose: () => void }) {
  const draft = drafts.get(of.key)?.seen === of.seen ? drafts.get(of.key) : undefined;
  const [name, setName] = useState(draft?.name ?? of.is.name);
  const [text, setText] = useState(draft?.text ?? of.is.texts[language] ?? { subject: "", body: "" });
  const type = (typed: { name?: string; text?: Schema["PlanText"] }) => {
    const now = { seen: of.seen, name, text, ...typed };
    drafts.set(of.key, now);
    setName(now.name);
    setText(now.text);
  };
  const close = () => {
    drafts.delete(of.key);
    onClose();
  };
  const body = useRef<HTMLTextAreaElement>(null);
  const keep = useKeeping(
    `wording ${of.key}`,
    `The wording ${name}`,
    (is: Wording, key) =>
      of.key
        ? api.PUT("/api/notice-wordings/{key}", {
            params: { path: { key: of.key }, header: keyed(key) },
            body: { seen: of.seen, is },
          })
        : api.POST("/api/notice-wordings", { params: { header: keyed(key) }, body: is }),
    close,
  );
  const remove = useKeeping(
    `removed wording ${of.key}`,
    `Removing ${name}`,
    (_: void, key) =>
      api.POST("/api/notice-wordings/{key}/remove", {
        params: { path: { key: of.key }, header: keyed(key) },
        body: { seen: of.seen },
      }),
    close,
  );
  const insert = (field: string) => {
    const at = body.current;
    if (!at) return;
    const from = at.selectionStart;
    const said = `${text.body.slice(0, from)}{{ ${field} }}${text.body.slice(at.selectionEnd)}`;
    type({ text: { ...text, body: said } });
    at.focus();
  };
  const fields = telling.fields[of.is.kind] ?? [];
  return (
    <Card label="Wording" className="grid gap-3 p-3.5">
      <form
        aria-label={of.key ? `Edit ${of.is.name}` : "Add a wording"}
        className="grid items-start gap-3 xl:grid-cols-2"
        onSubmit={(e) => {
          e.preventDefault();
          keep.run({ ...of.is, name, texts: { ...of.is.texts, [language]: text } });
        }}
      >
        <div className="grid gap-2.5">
          <Field label="Name">
            <input className={inputLook} value={name} onChange={(e) => type({ name: e.target.value })} />
          </Field>
          <Field label="Subject">
            <input
              className={inputLook}
              value={text.subject}

              onChange={(e) => type({ text: { ...text, subject: e.target.value } })}
            />
          </Field>
          <Field label="Text">
            <textarea
              ref={body}
              className={`${inputLook} min-h-64 font-mono text-sm`}
              value={text.body}

              onChange={(e) => type({ text: { ...text, body: e.target.value } })}
            />
          </Field>
          {
            <div className="flex flex-wrap items-center gap-2">
              <Button type="submit" busy={keep.busy}>
                {of.key ? "Save" : "Add"}
              </Button>
              <Button plain onClick={close}>
                Cancel
              </Button>
              {of.key && telling.own.includes(of.key) && (
                <Button plain busy={remove.busy} onClick={() => remove.run()}>
                  Remove
                </Button>
              )}
            </div>
          }
          <Trouble error={keep.problem ?? remove.problem} />
        </div>
        <div className="grid gap-3">
          <Says kind={of.is.kind} text={text} />
          <details open>
            <summary className="cursor-pointer text-sm text-ink-2">Fields</summary>
            <dl className="mt-1 grid gap-1 text-sm">
              {fields.map((f) => (
                <div key={f.name} className="flex flex-wrap items-baseline gap-x-2">
                  <dt>
                    <Quiet onClick={() => insert(f.name)}>
                      <Code>{f.name}</Code>
                    </Quiet>
                  </dt>
                  <dd className="text-ink-2">{f.says}</dd>
                </div>
              ))}
            </dl>
          </details>
        </div>
      </form>
    </Card>
  );
}

/** What a wording makes of the last case of its kind, while it is typed. */
function Says({ kind, text }: { kind: Wording["kind"]; text: Schema["PlanText"] }) {
  const still = useStill(JSON.stringify(text), 400);
  const tried = useQuery({
    queryKey: ["tried wording", kind, still],
    queryFn: () =>
      told(api.POST("/api/wordings/try", { body: { kind, text: JSON.parse(still) as Schema["PlanText"] } })),
    placeholderData: (before) => before,
  });
  return (
    <section aria-label="What it says" className="rounded-card border border-line bg-sunk px-3.5 py-2.5">
      <Loading of={tried}>
        {(t) => (
          <>
            <p className="text-sm text-ink-2">As {t.about} would get it</p>
            {t.problem ? (
              <p role="alert" className="text-buoy-700">
                {t.problem}
              </p>
            ) : (
              <>
                <b className="font-semibold">{t.subject}</b>
                <p className="max-h-96 overflow-auto whitespace-pre-wrap">{t.body}</p>
              </>
            )}
          </>
        )}
      </Loading>
    </section>
  );
}
