import { sayCount } from "../../ui/say";
import { useEffect, useState } from "react";
import { useStore } from "zustand";
import { useMe } from "../../shell/me";
import { Button, Card, Code, inputLook, Quiet } from "../../ui/parts";
import { useStationHere } from "../../shell/settings";
import { connect, feed, letBe, pad, takeOver, tryAgain } from "./pad";
import { things, type Pile } from "./pile";

/**
 * What lies on the pad of this station, in the places that take a pile: how many things, compared with how many there are, and what is
 * still to be done with them. What lies there is taken as soon as the place is ready for it.
 */
export function PadBar({ taker, ready, waits }: { taker: string; ready: boolean; waits?: string }) {
  const me = useMe();
  const here = useStationHere();
  const address = me.stations.find((s) => String(s.id) === here)?.pad ?? "";
  const { line, pile, atRest } = useStore(pad);
  useEffect(() => connect(address), [address]);
  useEffect(() => {
    if (ready) feed(taker);
  }, [ready, taker, pile, atRest, line]);
  if (!address) return null;
  return (
    <Card label="Pad" className="grid gap-1 px-4 py-2">
      <Lies
        pile={pile}
        line={line}
        waits={ready ? undefined : waits}
        page={me.mailbox && address.replace("ws:", "http:")}
      />
      {line === "here" && <Odd pile={pile} atRest={atRest} />}
    </Card>
  );
}

/** How many things lie there, by their tags and as somebody has counted them. */
function Lies({ pile, line, waits, page }: { pile: Pile; line: string; waits?: string; page: string }) {
  const there = things(pile);
  const many = there.length + pile.silent.length;
  if (line === "taken")
    return (
      <p className="flex flex-wrap items-baseline gap-x-3">
        Another window of this station uses the pad. <Quiet onClick={takeOver}>Use the pad here</Quiet>
      </p>
    );
  if (line === "seeking")
    return <p className="text-amber-700">The pad does not answer. Reconnecting; scan the labels meanwhile.</p>;
  const fresh = there.filter((t) => !t.fed).length;
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
      <p aria-live="polite">
        <b className="font-semibold">
          {many === 0 ? "The pad is empty" : `${sayCount(many, "item is", "items are")} on the pad`}
        </b>
        {waits && fresh > 0 && <span className="text-amber-700">. {waits}</span>}
        {there.length > 0 && fresh === 0 && (
          <span className="text-ink-2">. All done; what is put on again is read again.</span>
        )}
      </p>
      {page && (
        <a className="text-sm underline" href={page} target="_blank" rel="noreferrer">
          Open the simulated pad
        </a>
      )}
      {many > 0 && <Count many={many} />}
    </div>
  );
}

/** How many things somebody has counted, beside how many answer: some carry no tag, or one that cannot be read. */
function Count({ many }: { many: number }) {
  const [counted, setCounted] = useState("");
  const apart = counted === "" ? 0 : Number(counted) - many;
  return (
    <>
      <label className="ml-auto flex items-center gap-2 text-sm text-ink-2">
        Items you count
        <input
          inputMode="numeric"
          className={`${inputLook} w-14`}
          value={counted}
          onChange={(e) => setCounted(e.target.value.replace(/\D/g, "").slice(0, 3))}
        />
      </label>
      {apart > 0 && (
        <p role="status" className="basis-full text-amber-700">
          {sayCount(apart, "item has", "items have")} no readable tag. Scan the label.
        </p>
      )}
      {apart < 0 && (
        <p role="status" className="basis-full text-amber-700">
          {sayCount(-apart, "more tag answers", "more tags answer")} than you count. Check what else is near the pad.
        </p>
      )}
    </>
  );
}

/** What needs a hand: tags that do not answer, parts that are not there, security that is not as it should be. */
function Odd({ pile, atRest }: { pile: Pile; atRest: boolean }) {
  const partly = atRest ? things(pile).filter((t) => t.here < t.parts) : [];
  const lifted = Object.entries(pile.owed).filter(([number]) => !pile.tags.some((t) => t.number === number));
  const stuck = pile.tags.filter((t) => t.tag in pile.stuck && t.number in pile.owed);
  return (
    <ul className="grid gap-1 text-sm">
      {pile.silent.length > 0 && (
        <li className="text-amber-700">
          {sayCount(pile.silent.length, "tag does", "tags do")} not answer. Turn it over, or scan the label.
        </li>
      )}
      {partly.map((t) => (
        <li key={t.number} className="text-amber-700">
          <Code>{t.number}</Code>: {t.here} of {t.parts} parts lie there.
        </li>
      ))}
      {lifted.map(([number, o]) => (
        <li key={number} className="flex flex-wrap items-center gap-x-3">
          <span className="text-buoy-700">
            {o.title || number}: its security is still {o.on ? "off" : "on"}. Lay it on the pad again.
          </span>
          <Quiet onClick={() => letBe(number)}>Ignore</Quiet>
        </li>
      ))}
      {stuck.map((t) => (
        <li key={t.tag} className="flex flex-wrap items-center gap-x-3">
          <span className="text-buoy-700">
            {pile.owed[t.number]?.title || t.number}: its security is still {t.secure ? "on" : "off"};{" "}
            {pile.stuck[t.tag]}.
          </span>
          <Button plain onClick={tryAgain}>
            Retry
          </Button>
          <Quiet onClick={() => letBe(t.number)}>Ignore</Quiet>
        </li>
      ))}
    </ul>
  );
}
