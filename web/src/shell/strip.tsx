import { useQueryClient } from "@tanstack/react-query";
import { useAskAgain } from "../api/asked";
import { useNavigate } from "@tanstack/react-router";
import { Menu } from "lucide-react";
import { Dialog, DropdownMenu } from "radix-ui";
import { useState } from "react";
import { api, keyed } from "../api/client";
import { doing, signOut, workAt } from "./house";
import { branchName, useNow, worksAt, type Me } from "./me";
import { menuItem, menuLook } from "../ui/menu";
import { Key } from "../ui/parts";
import { supervises } from "./places";
import { helpOf } from "./guide";
import { Help } from "./help";
import { Rail } from "./rail";
import { sayInstant } from "../ui/say";
import { ScanLine, showKeys, toScanLine } from "./scan";
import { useWaiting } from "./scans/scans";
import {
  beStation,
  chooseTheme,
  singleKeysOn,
  soundsOn,
  useChosen,
  useStationHere,
  switchSingleKeys,
  switchSlips,
  switchSounds,
  slipsPrint,
  stagesHere,
  switchStaging,
  theme,
} from "./settings";
import { useWrite } from "./write";

/** The strip at the top: where and when, the scan line, who. */
export function Strip({ me }: { me: Me }) {
  return (
    <header className="flex items-center gap-3 border-b border-line bg-surface px-3 md:px-[18px] print:hidden">
      <Places me={me} />
      <BranchMenu me={me} />
      <ScanLine role={me.role} />
      <button
        type="button"
        className="hidden cursor-pointer text-ink-2 md:block"
        title="Back to scanning"
        aria-label="Start scanning"
        onClick={toScanLine}
      >
        <Key>/</Key>
      </button>
      <Help />
      <PersonMenu me={me} />
    </header>
  );
}

/** The rail where there is no room for it beside the place. */
function Places({ me }: { me: Me }) {
  const [open, setOpen] = useState(false);
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger aria-label="Menu" className="cursor-pointer p-1 md:hidden">
        <Menu aria-hidden />
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-shade/30" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed inset-y-0 left-0 z-40 w-56 overflow-y-auto bg-spruce-900 pb-3 text-rail-ink"
        >
          <Dialog.Title className="sr-only">Main navigation</Dialog.Title>
          <nav aria-label="Main navigation">
            <Rail me={me} onGo={() => setOpen(false)} />
          </nav>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

const menuHead = "px-3 py-1 text-xs text-ink-2";
const Rule = () => <DropdownMenu.Separator className="my-1 h-px bg-line" />;

function BranchMenu({ me }: { me: Me }) {
  const queries = useQueryClient();
  const now = useNow(me);
  const name = branchName(me);
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className="max-w-32 cursor-pointer text-left md:max-w-none"
        aria-label={`Branch ${name}, ${sayInstant(now)}`}
      >
        <span className="block truncate font-semibold">{name}</span>
        <span className="-mt-0.5 block truncate text-xs text-ink-2">{sayInstant(now)}</span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className={menuLook} align="start">
          <DropdownMenu.Label className={menuHead}>Branch for this window</DropdownMenu.Label>
          {worksAt(me).map((b) => (
            <DropdownMenu.Item key={b.code} className={menuItem} onSelect={() => doing(workAt(queries, b.code))}>
              {b.name}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function PersonMenu({ me }: { me: Me }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const waiting = useWaiting();
  const letters = me.name
    .split(" ")
    .map((w) => w[0])
    .join("")
    .slice(0, 2);
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label={`${me.name}, ${me.role}`}
        className="grid size-[30px] flex-none cursor-pointer place-items-center rounded-full bg-sunk text-[13px] font-semibold text-ink-2"
      >
        {letters}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className={menuLook} align="end">
          <DropdownMenu.Label className="px-3 py-1 text-sm text-ink-2">
            {me.name}, {me.role}
          </DropdownMenu.Label>
          {me.training && supervises(me.role) && <Clock />}
          {me.mailbox && (
            <DropdownMenu.Item className={menuItem} onSelect={() => window.open(me.mailbox, "_blank")}>
              Open the demo mailbox
            </DropdownMenu.Item>
          )}
          <Rule />
          <DropdownMenu.Label className={menuHead}>This station</DropdownMenu.Label>
          <StationMenu me={me} />
          <Switch name="Sounds" on={soundsOn} onSwitch={switchSounds} />
          <Switch name="Single keys" on={singleKeysOn} onSwitch={switchSingleKeys} />
          <Switch name="Print slips automatically" on={slipsPrint} onSwitch={switchSlips} />
          <Switch
            name="Review loans before they are made"
            on={() => stagesHere() ?? me.counter.staged}
            onSwitch={switchStaging}
          />
          <Switch name="Dark" on={() => theme() === "dark"} onSwitch={(on) => chooseTheme(on ? "dark" : "light")} />
          <DropdownMenu.Item className={menuItem} onSelect={() => showKeys(true)}>
            Keyboard shortcuts
          </DropdownMenu.Item>
          <DropdownMenu.Item
            className={menuItem}
            onSelect={() => void navigate({ to: "/help", search: helpOf[location.pathname] ?? {} })}
          >
            Help
          </DropdownMenu.Item>
          <DropdownMenu.Item className={menuItem} onSelect={() => void navigate({ to: "/own", search: {} })}>
            My account
          </DropdownMenu.Item>
          <Rule />
          <DropdownMenu.Item className={menuItem} disabled={waiting > 0} onSelect={() => doing(signOut(queries))}>
            {waiting > 0 ? `Sign out after ${waiting} scans are answered` : "Sign out"}
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** Which of the branch's stations this browser is; from then on it prints and sounds as the network has set it. */
function StationMenu({ me }: { me: Me }) {
  const here = useStationHere();
  if (me.stations.length === 0) return null;
  return (
    <DropdownMenu.RadioGroup
      value={here}
      onValueChange={(id) => beStation(me.stations.find((s) => String(s.id) === id))}
    >
      {[{ id: "", name: "None of these" }, ...me.stations].map((s) => (
        <DropdownMenu.RadioItem
          key={s.id}
          value={String(s.id)}
          className={`${menuItem} flex justify-between gap-4 data-[state=checked]:font-semibold`}
        >
          {s.name} {here === String(s.id) && <span className="text-ink-2">here</span>}
        </DropdownMenu.RadioItem>
      ))}
    </DropdownMenu.RadioGroup>
  );
}

function Switch({ name, on: read, onSwitch }: { name: string; on: () => boolean; onSwitch: (on: boolean) => void }) {
  const on = useChosen(read);
  return (
    <DropdownMenu.CheckboxItem
      className={`${menuItem} flex justify-between gap-4`}
      checked={on}
      onCheckedChange={onSwitch}
    >
      {name} <span className="text-ink-2">{on ? "on" : "off"}</span>
    </DropdownMenu.CheckboxItem>
  );
}

/** Moves the training clock forward. */
function Clock() {
  const askAgain = useAskAgain();
  const forward = useWrite(
    (by: { days: number; minutes: number }, key) =>
      api.POST("/api/clock", { params: { header: keyed(key) }, body: by }),
    { name: "clock", about: "Moving the training clock", done: () => askAgain() },
  );
  const steps: [string, number, number][] = [
    ["One hour ahead", 0, 60],
    ["One day ahead", 1, 0],
    ["One week ahead", 7, 0],
  ];
  return (
    <>
      <Rule />
      <DropdownMenu.Label className={menuHead}>Training clock</DropdownMenu.Label>
      {steps.map(([name, days, minutes]) => (
        <DropdownMenu.Item key={name} className={menuItem} onSelect={() => forward.run({ days, minutes })}>
          {name}
        </DropdownMenu.Item>
      ))}
    </>
  );
}
