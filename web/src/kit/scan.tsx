import { useRouterState } from "@tanstack/react-router";
import {
  createContext,
  useCallback,
  useContext,
  useEffect,
  useMemo,
  useRef,
  useState,
  type ReactNode,
  type RefObject,
} from "react";

/** What a place does with what is scanned or typed. */
export interface Place {
  prompt: string;
  onScan: (text: string) => void;
  onKey?: (key: string) => boolean; // a single key on an empty scan line; true: used
  people?: boolean; // takes cards and names itself; elsewhere a card opens at the desk and words search
}

const isCard = (text: string) => /^2[\d -]{12,}$/.test(text);
const isWords = (text: string) => !/^[\d -]+[Xx]?$/.test(text);

interface Scanning {
  place: RefObject<Place | undefined>;
  prompt: string;
  setPrompt: (prompt: string) => void;
  input: RefObject<HTMLInputElement | null>;
  submit: (text: string) => void;
}

const ScanContext = createContext<Scanning | null>(null);

export function useScanning(): Scanning {
  const s = useContext(ScanContext);
  if (!s) throw new Error("useScanning outside of ScanProvider");
  return s;
}

/** Makes the scan line act in this place as long as it is shown. */
export function useScanPlace(place: Place) {
  const { place: current, setPrompt } = useScanning();
  useEffect(() => {
    current.current = place;
    setPrompt(place.prompt);
  });
  useEffect(
    () => () => {
      current.current = undefined;
      setPrompt("");
    },
    [current, setPrompt],
  );
}

// A scanner types faster than any person: keys closer than this belong to one scan. A busy station may make a key
// or two of a scan late; a person is late with nearly all of them.
const fastGap = 70;
const hiccup = 800;
const hiccups = (length: number) => Math.floor(length / 5);
const shortestScan = 6;
// A person pauses after a single key that is meant as a command.
const commandPause = 350;

const editable = (e: EventTarget | null): e is HTMLInputElement | HTMLTextAreaElement =>
  e instanceof HTMLInputElement || e instanceof HTMLTextAreaElement;

function restore(field: HTMLInputElement | HTMLTextAreaElement, value: string) {
  const prototype = field instanceof HTMLTextAreaElement ? HTMLTextAreaElement.prototype : HTMLInputElement.prototype;
  Object.getOwnPropertyDescriptor(prototype, "value")?.set?.call(field, value);
  field.dispatchEvent(new Event("input", { bubbles: true }));
}

export function ScanProvider({
  children,
  fallback,
  onCommand,
}: {
  children: ReactNode;
  fallback: Place;
  onCommand: (key: string) => boolean;
}) {
  const place = useRef<Place | undefined>(undefined);
  const input = useRef<HTMLInputElement>(null);
  const [prompt, setPrompt] = useState("");
  const submit = useCallback(
    (text: string) => {
      const trimmed = text.trim();
      if (!trimmed) return;
      const here = place.current;
      const elsewhere = !here || (!here.people && (isCard(trimmed) || isWords(trimmed)));
      (elsewhere ? fallback : here).onScan(trimmed);
    },
    [fallback],
  );

  useEffect(() => {
    let burst = "";
    let last = 0;
    let slow = 0;
    let before = "";
    let timer = 0;
    // What is typed while nothing that takes text has the focus goes to the scan line.
    const toScanLine = (text: string) => {
      if (!input.current) return;
      input.current.value = text;
      input.current.focus();
    };
    const command = (key: string, typedElsewhere: boolean) => {
      timer = 0;
      if (place.current?.onKey?.(key) || onCommand(key)) {
        if (input.current && input.current.value === key) input.current.value = "";
      } else if (typedElsewhere) {
        toScanLine(key);
      }
    };
    const onKeyDown = (e: KeyboardEvent) => {
      if (e.ctrlKey || e.metaKey || e.altKey) return;
      const now = e.timeStamp; // when the key came, however late it is looked at
      const field = editable(e.target) ? e.target : null;
      const inScanLine = e.target === input.current;
      if (e.key === "Enter") {
        clearTimeout(timer);
        if (now - last > fastGap * 2) slow++;
        const scanned = burst.length >= shortestScan && now - last < hiccup && slow <= hiccups(burst.length);
        if (scanned && !inScanLine) {
          e.preventDefault();
          e.stopPropagation();
          if (field) restore(field, before);
          submit(burst);
        }
        burst = "";
        return;
      }
      if (e.key.length !== 1) return;
      if (now - last > fastGap && !(timer && burst.length === 1 && !inScanLine)) {
        if (burst.length >= 3 && now - last < hiccup && slow < 2) slow++;
        else {
          burst = "";
          slow = 0;
          before = field?.value ?? "";
        }
      }
      burst += e.key;
      last = now;
      clearTimeout(timer);
      timer = 0;
      const takesKeys = e.target instanceof Element && e.target.closest("select, [role=menu]") !== null;
      const elsewhere = !field && !takesKeys && e.key !== " ";
      if (elsewhere && burst.length > 1) {
        e.preventDefault();
        toScanLine(burst);
        return;
      }
      if (burst.length === 1 && ((inScanLine && input.current?.value === "") || elsewhere) && e.key !== " ") {
        const key = e.key;
        timer = window.setTimeout(() => command(key, elsewhere), inScanLine ? commandPause : fastGap + 15);
      }
    };
    window.addEventListener("keydown", onKeyDown, true);
    return () => {
      clearTimeout(timer);
      window.removeEventListener("keydown", onKeyDown, true);
    };
  }, [onCommand, submit]);

  const value = useMemo(
    () => ({ place, prompt: prompt || fallback.prompt, setPrompt, input, submit }),
    [prompt, submit, fallback.prompt],
  );
  return <ScanContext.Provider value={value}>{children}</ScanContext.Provider>;
}

/** The scan line: always there, at the top, focused. */
export function ScanLine() {
  const { prompt, input, submit } = useScanning();
  const place = useRouterState({ select: (s) => s.location.pathname });
  useEffect(() => input.current?.focus(), [input, place]);
  return (
    <form
      role="search"
      className="min-w-0 flex-1"
      onSubmit={(e) => {
        e.preventDefault();
        const field = input.current!;
        const text = field.value;
        field.value = "";
        submit(text);
      }}
    >
      <input
        ref={input}
        aria-label="Scan line"
        placeholder={prompt}
        autoComplete="off"
        autoCorrect="off"
        spellCheck={false}
        className="h-9 w-full rounded-card border-[1.5px] border-spruce-700 bg-white px-3 placeholder:text-ink-3 focus:outline-2 focus:outline-offset-1 focus:outline-spruce-500"
      />
    </form>
  );
}
