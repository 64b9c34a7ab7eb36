import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { useStill } from "../../ui/words";
import { Loading } from "../../ui/loading";
import { languageName } from "../../circulation/languages";
import { useMe } from "../../shell/me";
import { useWrite } from "../../shell/write";
import { Button, Card, Code, Empty, Field, inputLook, Quiet, Tag, Trouble } from "../../ui/parts";
import { sayCount } from "../../ui/say";
import { useKeeping, useTelling, type Shown, type Telling, type Wording } from "./telling";

type Texts = Record<string, Schema["PlanText"]>;

/** What was typed and not saved, by wording, until the window is closed: a scan in the middle opens another place. */
const drafts = new Map<string, { seen: number; name: string; texts: Texts }>();

const nothing = { subject: "", body: "", short: "", spoken: "" };

const parts = [
  ["mail", "Email and letter"],
  ["text", "Text message"],
  ["phone", "Telephone"],
] as const;
type Part = (typeof parts)[number][0];

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
  const me = useMe();
  const draft = drafts.get(of.key)?.seen === of.seen ? drafts.get(of.key) : undefined;
  const [name, setName] = useState(draft?.name ?? of.is.name);
  const [texts, setTexts] = useState<Texts>(draft?.texts ?? of.is.texts);
  const [language, setLanguage] = useState(me.languages[0] ?? "en");
  const [part, setPart] = useState<Part>("mail");
  const text = texts[language] ?? nothing;
  const type = (typed: { name?: string; text?: Schema["PlanText"] }) => {
    const now = {
      seen: of.seen,
      name: typed.name ?? name,
      texts: typed.text ? { ...texts, [language]: typed.text } : texts,
    };
    drafts.set(of.key, now);
    setName(now.name);
    setTexts(now.texts);
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
  const field = part === "mail" ? "body" : part === "text" ? "short" : "spoken";
  const insert = (inserted: string) => {
    const at = body.current;
    if (!at) return;
    const from = at.selectionStart;
    const said = `${text[field].slice(0, from)}{{ ${inserted} }}${text[field].slice(at.selectionEnd)}`;
    type({ text: { ...text, [field]: said } });
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
          // A language without a text is written in the default one.
          keep.run({ ...of.is, name, texts: Object.fromEntries(Object.entries(texts).filter(([, t]) => t.body)) });
        }}
      >
        <div className="grid gap-2.5">
          <Field label="Name">
            <input className={inputLook} value={name} onChange={(e) => type({ name: e.target.value })} />
          </Field>
          <div className="flex flex-wrap items-end gap-3">
            {me.languages.length > 1 && (
              <Field label="Language">
                <select className={inputLook} value={language} onChange={(e) => setLanguage(e.target.value)}>
                  {me.languages.map((l) => (
                    <option key={l} value={l}>
                      {languageName(l)}
                    </option>
                  ))}
                </select>
              </Field>
            )}
            <Field label="For">
              <select className={inputLook} value={part} onChange={(e) => setPart(e.target.value as Part)}>
                {parts.map(([code, says]) => (
                  <option key={code} value={code}>
                    {says}
                  </option>
                ))}
              </select>
            </Field>
          </div>
          {part === "mail" && (
            <Field label="Subject">
              <input
                className={inputLook}
                value={text.subject}
                onChange={(e) => type({ text: { ...text, subject: e.target.value } })}
              />
            </Field>
          )}
          <Field label={part === "mail" ? "Text" : part === "text" ? "Text message" : "What is said"}>
            <textarea
              ref={body}
              className={`${inputLook} font-mono text-sm ${part === "mail" ? "min-h-64" : "min-h-28"}`}
              value={text[field]}
              placeholder={part === "mail" ? undefined : "Empty: the usual wording"}
              onChange={(e) => type({ text: { ...text, [field]: e.target.value } })}
            />
          </Field>
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
          <Trouble error={keep.problem ?? remove.problem} />
        </div>
        <div className="grid gap-3">
          <Says kind={of.is.kind} text={text} language={language} part={part} />
          <SendToMe wording={{ kind: of.is.kind, language, text }} />
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
function Says({
  kind,
  text,
  language,
  part,
}: {
  kind: Wording["kind"];
  text: Schema["PlanText"];
  language: string;
  part: Part;
}) {
  const still = useStill(JSON.stringify({ kind, language, text }), 400);
  const tried = useQuery({
    queryKey: ["tried wording", still],
    queryFn: () => told(api.POST("/api/wordings/try", { body: JSON.parse(still) as Schema["NoticesTrying"] })),
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
            ) : part === "mail" ? (
              <>
                <b className="font-semibold">{t.subject}</b>
                <p className="max-h-96 overflow-auto whitespace-pre-wrap">{t.body}</p>
              </>
            ) : (
              <>
                <p className="whitespace-pre-wrap">{part === "text" ? t.short : t.spoken}</p>
                {part === "text" && (
                  <p className={t.length.parts > 1 ? "text-sm text-amber-700" : "text-sm text-ink-2"}>
                    {sayCount(t.length.characters, "character")} of {t.length.most}
                    {t.length.parts > 1 && `; sent as ${sayCount(t.length.parts, "message")}`}
                    {t.length.unicode && "; a character in it is not in the usual alphabet of phones"}
                  </p>
                )}
              </>
            )}
          </>
        )}
      </Loading>
    </section>
  );
}

/** Sends the email of a wording to an address, to see how it looks in a mail program. */
function SendToMe({ wording }: { wording: Schema["NoticesTrying"] }) {
  const [to, setTo] = useState("");
  const [sent, setSent] = useState("");
  const send = useWrite(
    (body: { to: string; wording: Schema["NoticesTrying"] }) => api.POST("/api/wordings/send", { body }),
    { name: "send a wording", about: "The test email", done: (_, { to: went }) => setSent(went) },
  );
  return (
    <div className="flex flex-wrap items-end gap-2">
      <Field label="Send a test email to">
        <input type="email" className={`${inputLook} w-56`} value={to} onChange={(e) => setTo(e.target.value)} />
      </Field>
      <Button plain busy={send.busy} disabled={!to} onClick={() => send.run({ to, wording })}>
        Send
      </Button>
      {sent && sent === to && !send.busy && <Tag tone="spruce">Sent</Tag>}
      <Trouble error={send.problem} />
    </div>
  );
}
