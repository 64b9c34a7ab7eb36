import { useQuery } from "@tanstack/react-query";
import { useId, useState, type ReactNode } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { ChoiceField, Form, LinesField, Send, TextField, TickField, saysOf } from "../../ui/forms";
import { useMe } from "../../shell/me";
import { Button, Card, Code, Quiet, Tag, Trouble } from "../../ui/parts";
import { useFirstFocus } from "../../ui/insight";
import { supervises } from "../../shell/places";
import { sayDay } from "../../ui/say";
import { ChargeForm } from "../../circulation/settle";
import { useWrite } from "../../shell/write";
import { agreedOf, consents, whats } from "./record";

type CardOf = Schema["PeopleCard"];

export interface Part {
  card: CardOf;
  onCard: (c: CardOf) => void;
}

/** A part of the record that opens to be changed. */
export function Opens({
  title,
  says,
  act,
  children,
}: {
  title: string;
  says?: ReactNode;
  act: string;
  children: (close: () => void) => ReactNode;
}) {
  const [open, setOpen] = useState(false);
  const id = useId();
  const area = useFirstFocus(open);
  return (
    <Card label={title} className="p-3.5">
      <div className="flex flex-wrap items-baseline justify-between gap-x-3">
        <h2 className="font-semibold">{title}</h2>
        <Button small plain aria-expanded={open} aria-controls={id} onClick={() => setOpen(!open)}>
          {open ? "Close" : act}
        </Button>
      </div>
      {says}
      <div id={id} ref={area}>
        {open && <div className="mt-2">{children(() => setOpen(false))}</div>}
      </div>
    </Card>
  );
}

/** Takes in the card as it is after a change, and closes the part in which that was made. Refused, it stays open with what was typed. */
export const thenClose = (onCard: Part["onCard"], close: () => void) => (c: CardOf) => {
  onCard(c);
  close();
};

const useForm = () =>
  useQuery({ queryKey: ["patron form"], queryFn: () => told(api.GET("/api/patron-form")), staleTime: 60_000 });

const noting = z.object({ kind: check.needed("Choose a type of note."), text: check.needed("Enter the note.") });

/** Notes on the card: those that show at every scan, and quiet ones. */
export function Notes({ card, onCard }: Part) {
  const form = useForm();
  const kinds = form.data?.note_kinds ?? [];
  const end = useWrite(
    (id: number, key) => api.POST("/api/patron-notes/{id}/end", { params: { path: { id }, header: keyed(key) } }),
    { name: `end note of ${card.id}`, about: "Removing a note", done: onCard },
  );
  return (
    <Opens
      title="Notes"
      act="Add"
      says={
        <>
          {card.notes.length === 0 && <p className="text-ink-2">None.</p>}
          <ul className="grid gap-1.5">
            {card.notes.map((n) => (
              <li key={n.id}>
                <p>{n.text}</p>
                <p className="flex flex-wrap items-baseline gap-x-2 text-sm text-ink-2">
                  {n.loud ? <Tag tone="amber">{n.kind}</Tag> : n.kind} {n.who}, {sayDay(n.at)}
                  <Quiet disabled={end.busy} aria-label={`Remove: ${n.text}`} onClick={() => end.run(n.id)}>
                    Remove
                  </Quiet>
                </p>
              </li>
            ))}
          </ul>
          <Trouble error={end.problem} />
        </>
      }
    >
      {(close) =>
        kinds.length === 0 ? (
          <p className="text-ink-2">
            No types of note yet. An administrator adds them under Network, Lists and reasons.
          </p>
        ) : (
          <WriteNote kinds={kinds} card={card} onCard={thenClose(onCard, close)} />
        )
      }
    </Opens>
  );
}

function WriteNote({ kinds, card, onCard }: Part & { kinds: Schema["PeopleForm"]["note_kinds"] }) {
  const add = useWrite(
    (body: Schema["PeopleNoting"], key) =>
      api.POST("/api/patrons/{id}/notes", { params: { path: { id: card.id }, header: keyed(key) }, body }),
    { name: `note ${card.id}`, about: `A note on the card of ${card.name}`, done: onCard },
  );
  return (
    <Form
      label="Note"
      schema={noting}
      start={{ kind: kinds[0]?.code ?? "", text: "" }}
      write={add}
      onSend={(v) => add.run(v)}
      className="grid gap-2"
    >
      <ChoiceField
        name="kind"
        label="Type"
        options={kinds.map((k) => [k.code, k.loud ? `${k.name}, shows at every scan` : k.name] as const)}
      />
      <LinesField name="text" label="Text" />
      <Send write={add} className="justify-self-start">
        Add note
      </Send>
    </Form>
  );
}

const standing = z
  .object({
    standing: z.enum(["active", "inactive", "excluded"]),
    reason: check.text,
    stopped: z.boolean(),
    why: check.text,
  })
  .refine((v) => v.standing === "active" || v.reason !== "", { path: ["reason"], message: "Enter a reason." })
  .refine((v) => !v.stopped || v.why !== "", { path: ["why"], message: "Enter why they are blocked." });

const useStanding = saysOf<z.infer<typeof standing>>();

const standings = [
  ["active", "Active"],
  ["inactive", "Inactive: card no longer used"],
  ["excluded", "Excluded: cannot sign in"],
] as const;

/** Stopped, inactive and excluded are three things. */
export function Stands({ card, onCard }: Part) {
  const me = useMe();
  const write = useWrite(
    (body: Schema["PeopleNewStatus"], key) =>
      api.POST("/api/patrons/{id}/standing", { params: { path: { id: card.id }, header: keyed(key) }, body }),
    { name: `standing ${card.id}`, about: `Status of ${card.name}`, done: onCard },
  );
  const says = standings.find(([code]) => code === card.standing)?.[1];
  const offered = standings.filter(
    ([code]) => code !== "excluded" || supervises(me.role) || card.standing === "excluded",
  );
  return (
    <Opens
      title="Status"
      act="Edit"
      says={
        <p>
          {says}
          {card.standing_reason && `. ${card.standing_reason}`}
          {card.stopped && <b className="block text-buoy-700">Blocked from borrowing: {card.stopped}</b>}
        </p>
      }
    >
      {() => (
        <Form
          key={`${card.standing} ${card.stopped}`}
          label="Status"
          schema={standing}
          start={{
            standing: card.standing,
            reason: card.standing_reason,
            stopped: card.stopped !== "",
            why: card.stopped,
          }}
          write={write}
          onSend={(v) => write.run({ standing: v.standing, reason: v.reason, stopped: v.stopped ? v.why : "" })}
          className="grid gap-2"
        >
          <ChoiceField name="standing" label="Status" options={offered} />
          <Why />
          <Send write={write} className="justify-self-start">
            Save
          </Send>
        </Form>
      )}
    </Opens>
  );
}

function Why() {
  const s = useStanding("standing");
  const stopped = useStanding("stopped");
  return (
    <>
      {s !== "active" && <TextField name="reason" label="Reason" />}
      <TickField name="stopped" label="Blocked from borrowing" />
      {stopped && <TextField name="why" label="Reason for the block (shown at the desk)" />}
    </>
  );
}

/** What has been answered so far; empty: never asked. */
const answered = (card: CardOf) => {
  const said = (yes?: boolean) => (yes === undefined ? "" : yes ? "yes" : "no");
  return { older_reader: said(card.older_reader), internet: card.internet, photo: said(card.photo) };
};

/** What a guardian or a grown-up has agreed to. A later answer takes a letter, and somebody entitled. */
export function Consents({ card, onCard }: Part) {
  const before = answered(card);
  return (
    <Opens
      title="Consents"
      act="Record answer"
      says={
        <dl className="grid grid-cols-[1fr_auto] gap-x-3 text-sm">
          {whats.map((what) => (
            <div key={what} className="contents">
              <dt className="text-ink-2">{consents[what].name}</dt>
              <dd>{before[what] || "never asked"}</dd>
            </div>
          ))}
        </dl>
      }
    >
      {(done) => <Consent card={card} onCard={onCard} onDone={done} />}
    </Opens>
  );
}

const consenting = z.object({
  agreed: z.object({ older_reader: z.string(), internet: z.string(), photo: z.string() }),
  reason: check.text,
  letter: z.boolean(),
});

const useConsenting = saysOf<z.infer<typeof consenting>>();

function Consent({ card, onCard, onDone }: Part & { onDone: () => void }) {
  const form = useForm();
  const before = answered(card);
  const write = useWrite(
    (body: Schema["PeopleConsenting"], key) =>
      api.POST("/api/patrons/{id}/consents", { params: { path: { id: card.id }, header: keyed(key) }, body }),
    {
      name: `consent ${card.id}`,
      about: `Answers of ${card.name}`,
      done: thenClose(onCard, onDone),
    },
  );
  return (
    <Form
      key={JSON.stringify(before)}
      label="Answer"
      schema={consenting}
      start={{ agreed: before, reason: "", letter: false }}
      write={write}
      onSend={(v) => write.run({ answers: agreedOf(v.agreed, before), reason: v.reason, letter: v.letter })}
      className="grid gap-2"
    >
      <ConsentFields before={before} mayChange={form.data?.consents ?? false} />
      <AgreedSend write={write} before={before} />
    </Form>
  );
}

function AgreedSend({ write, before }: { write: { busy: boolean }; before: ReturnType<typeof answered> }) {
  const changes = agreedOf(useConsenting("agreed"), before);
  if (changes.length === 0) return <p className="text-sm text-ink-2">Choose an answer first.</p>;
  return (
    <Send write={write} className="justify-self-start">
      {changes.length === 1 ? "Save" : `Save ${changes.length} answers`}
    </Send>
  );
}

function ConsentFields({ before, mayChange }: { before: ReturnType<typeof answered>; mayChange: boolean }) {
  const changes = agreedOf(useConsenting("agreed"), before).filter(({ what }) => before[what] !== "");
  return (
    <>
      {whats.map((what) => (
        <ChoiceField
          key={what}
          name={`agreed.${what}`}
          label={consents[what].name}
          options={[
            ...(before[what] === "" ? [["", "never asked"] as const] : []),
            ...consents[what].options
              .filter((o) => mayChange || before[what] === "" || o === before[what])
              .map((o) => [o, o] as const),
          ]}
        />
      ))}
      {!mayChange && Object.values(before).some((a) => a !== "") && (
        <p className="text-sm text-ink-2">Recorded answers can be changed only by staff with that right.</p>
      )}
      {changes.length > 0 && (
        <>
          <TextField name="reason" label="Reason for the change" />
          <TickField name="letter" label="I have seen a letter" />
        </>
      )}
    </>
  );
}

const replacing = z.object({ card: check.text, why: check.text });

/** Another card, and the PIN. */
export function CardAndPin({ card, onCard, onStale }: Part & { onStale: () => void }) {
  const me = useMe();
  const [pin, setPin] = useState<string>();
  const [given, setGiven] = useState(false);
  const replace = useWrite(
    (body: Schema["PeopleReplacing"], key) =>
      api.POST("/api/patrons/{id}/card", { params: { path: { id: card.id }, header: keyed(key) }, body }),
    {
      name: `replace ${card.id}`,
      about: `New card for ${card.name}`,
      done: (c) => {
        onCard(c);
        setGiven(true);
      },
    },
  );
  const make = useWrite(
    (chosen: string) => api.POST("/api/patrons/{id}/pin", { params: { path: { id: card.id } }, body: { pin: chosen } }),
    { about: `A PIN for ${card.name}`, done: (p) => setPin(p.pin) },
  );
  return (
    <Opens
      title="Card and PIN"
      act="Edit"
      says={
        pin && (
          <p role="status" className="rounded bg-tide-100 px-2 py-1 text-tide-700">
            The PIN is <Code>{pin}</Code>. It is not shown again.
          </p>
        )
      }
    >
      {() => (
        <div className="grid gap-3">
          <Form
            key={card.card}
            label="New card"
            schema={replacing}
            start={{ card: "", why: "" }}
            write={replace}
            onSend={(v) => replace.run(v)}
            className="grid gap-2"
          >
            <TextField name="card" label="New card number" />
            <TextField name="why" label="Reason for replacement" />
            <Send plain write={replace} className="justify-self-start">
              Issue card
            </Send>
          </Form>
          {given && me.prices.length > 0 && (
            <div className="grid gap-1 rounded bg-sunk p-2.5">
              <p role="status">
                The new card is <Code>{card.card}</Code>. Charge for it?
              </p>
              <ChargeForm
                patron={card.id}
                name={card.name}
                of="a new card"
                onCharged={() => {
                  setGiven(false);
                  onStale();
                }}
                onLeave={() => setGiven(false)}
              />
            </div>
          )}
          <ChoosePin busy={make.busy} onPin={(p) => make.run(p)} />
          <Trouble error={make.problem} />
        </div>
      )}
    </Opens>
  );
}

function ChoosePin({ busy, onPin }: { busy: boolean; onPin: (pin: string) => void }) {
  const [chosen, setChosen] = useState("");
  return (
    <div className="flex flex-wrap items-end gap-2">
      <label className="grid gap-1 text-sm text-ink-2">
        PIN
        <input
          type="password"
          inputMode="numeric"
          autoComplete="off"
          maxLength={12}
          value={chosen}
          onChange={(e) => setChosen(e.target.value)}
          className="h-8 rounded-card border border-edge bg-field px-2"
        />
      </label>
      <Button plain busy={busy} onClick={() => onPin(chosen)}>
        Set PIN
      </Button>
    </div>
  );
}

/** A charge by hand, from the network's price list or for another reason. */
export function ByHand({ card, onCharged }: { card: CardOf; onCharged: () => void }) {
  return (
    <Opens title="Manual charge" act="Add charge">
      {(close) => (
        <ChargeForm
          patron={card.id}
          name={card.name}
          onCharged={() => {
            close();
            onCharged();
          }}
        />
      )}
    </Opens>
  );
}
