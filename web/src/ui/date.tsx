import clsx from "clsx";
import { CalendarDays } from "lucide-react";
import { Popover } from "radix-ui";
import { useId, useState, type KeyboardEvent } from "react";
import { DayPicker } from "react-day-picker";
import { dateSays, readDate, readTime } from "./dates";
import { inputLook } from "./parts";
import { sayDate, sayFullDate, sayTime, today } from "./say";

interface DateProps {
  /** "2026-10-06", or empty. */
  value: string;
  onChange: (date: string) => void;
  /** Called with text that is not a date. Without it, the field shows the error itself. */
  onWrong?: (typed: string) => void;
  id?: string;
  label?: string;
  min?: string;
  className?: string;
  disabled?: boolean;
  "aria-invalid"?: true;
  "aria-describedby"?: string;
}

const toDay = (date: string) => (date ? new Date(`${date}T12:00:00`) : undefined);
const toText = (day: Date) =>
  [day.getFullYear(), day.getMonth() + 1, day.getDate()].map((n) => String(n).padStart(2, "0")).join("-");

/**
 * A date field: type a date in words or figures, or choose it from the calendar, which the down key opens. The text is rewritten in the
 * network's style when the field loses the focus.
 */
export function DateInput({ value, onChange, onWrong, id, label, min, className, disabled, ...wrong }: DateProps) {
  const [typed, setTyped] = useState<string>();
  const [open, setOpen] = useState(false);
  const problem = useId();
  const isDate = /^\d{4}-\d\d-\d\d$/.test(value);
  const bad = typed !== undefined && readDate(typed) === undefined;
  const told = bad && !onWrong;
  const type = (text: string) => {
    setTyped(text);
    const date = readDate(text);
    if (date !== undefined) onChange(date);
    else onWrong?.(text);
  };
  const keys = (e: KeyboardEvent) => {
    if (e.key !== "ArrowDown") return;
    e.preventDefault();
    setOpen(true);
  };
  return (
    <span className={clsx("grid content-start gap-1", className)}>
      <span className="relative grid">
        <input
          id={id}
          aria-label={label}
          disabled={disabled}
          autoComplete="off"
          value={typed ?? (isDate ? sayDate(value) : value)}
          placeholder={sayFullDate(today()).replace(/^\w+ /, "")}
          onChange={(e) => type(e.target.value)}
          onBlur={() => !bad && setTyped(undefined)}
          onKeyDown={keys}
          className={clsx(inputLook, "w-full pr-8 placeholder:text-ink-3/60")}
          {...wrong}
          {...(told ? { "aria-invalid": true, "aria-describedby": problem } : {})}
        />
        <Popover.Root open={open} onOpenChange={setOpen}>
          <Popover.Trigger
            disabled={disabled}
            aria-label={`Calendar${label ? ` for ${label}` : ""}`}
            className="absolute inset-y-0 right-0 grid w-8 cursor-pointer place-items-center text-ink-2 disabled:opacity-50"
          >
            <CalendarDays size={16} aria-hidden />
          </Popover.Trigger>
          <Popover.Portal>
            <Popover.Content
              align="start"
              className="z-50 rounded-card border border-line-strong bg-surface p-2 text-ink shadow-lg"
            >
              <Days
                value={isDate ? value : ""}
                min={min}
                onChoose={(date) => {
                  setTyped(undefined);
                  onChange(date);
                  setOpen(false);
                }}
              />
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      </span>
      {told && (
        <span id={problem} role="alert" className="text-sm text-buoy-700">
          {dateSays()}
        </span>
      )}
    </span>
  );
}

const dayLook = {
  root: "text-sm",
  months: "relative",
  month_caption: "h-8 px-2 font-semibold leading-8",
  nav: "absolute top-0 right-0 flex",
  button_previous: "grid size-8 cursor-pointer place-items-center rounded hover:bg-spruce-100 fill-current",
  button_next: "grid size-8 cursor-pointer place-items-center rounded hover:bg-spruce-100 fill-current",
  chevron: "size-4 fill-ink-2",
  month_grid: "border-collapse",
  weekday: "size-8 text-xs font-normal text-ink-2",
  day: "p-0 text-center",
  day_button:
    "size-8 cursor-pointer rounded tabular-nums hover:bg-spruce-100 disabled:cursor-default disabled:opacity-40",
  today: "font-bold text-amber-700",
  selected: "[&>button]:bg-spruce-700 [&>button]:text-on",
  outside: "text-ink-3",
  disabled: "text-ink-3",
};

/** A month of days; arrows walk by days and weeks, Page Up and Page Down by months. */
function Days({ value, min, onChoose }: { value: string; min?: string; onChoose: (date: string) => void }) {
  const now = toDay(today());
  const first = toDay(min ?? "");
  return (
    <DayPicker
      mode="single"
      // eslint-disable-next-line jsx-a11y/no-autofocus -- it was opened on purpose, and keys walk in it
      autoFocus
      required
      weekStartsOn={1}
      selected={toDay(value)}
      defaultMonth={toDay(value) ?? now}
      today={now}
      disabled={first && { before: first }}
      onSelect={(day: Date) => onChoose(toText(day))}
      classNames={dayLook}
    />
  );
}

/** A time of day, "14:30". It can be typed in several ways, and is shown in the network's style. */
export function TimeInput({
  value,
  onChange,
  label,
  className,
}: {
  value: string;
  onChange: (time: string) => void;
  label: string;
  className?: string;
}) {
  const [typed, setTyped] = useState<string>();
  const bad = typed !== undefined && readTime(typed) === undefined;
  return (
    <input
      aria-label={label}
      aria-invalid={bad || undefined}
      title={bad ? `Enter a time such as ${sayTime("14:30")}.` : undefined}
      autoComplete="off"
      placeholder={sayTime("14:30")}
      value={typed ?? (value ? sayTime(value) : "")}
      onChange={(e) => {
        setTyped(e.target.value);
        const time = readTime(e.target.value);
        if (time !== undefined) onChange(time);
      }}
      onBlur={() => !bad && setTyped(undefined)}
      className={clsx(inputLook, "w-24 placeholder:text-ink-3/60", className)}
    />
  );
}

/** A date with its label above it, where there is no form. */
export function DateChoice({ label, ...rest }: DateProps & { label: string }) {
  const id = useId();
  return (
    <div className="grid content-start gap-1 text-sm text-ink-2">
      <label htmlFor={id}>{label}</label>
      <DateInput id={id} {...rest} />
    </div>
  );
}
