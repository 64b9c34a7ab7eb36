import { zodResolver } from "@hookform/resolvers/zod";
import clsx from "clsx";
import { createContext, useContext, useEffect, useId, useRef, useState, type ReactNode } from "react";
import {
  FormProvider,
  useForm,
  useFormContext,
  useWatch,
  type DefaultValues,
  type FieldValues,
  type Path,
  type PathValue,
} from "react-hook-form";
import type { z } from "zod";
import { DateInput, TimeInput } from "./date";
import { Button, inputLook, Trouble } from "./parts";
import { moneySign, sayDate } from "./say";

interface Writing {
  busy?: boolean;
  problem?: unknown;
}

/**
 * A form: its fields are checked in sentences before anything is sent, and what stands in it stays while it is sent and
 * when it fails.
 */
export function Form<V extends FieldValues>({
  label,
  schema,
  start,
  onSend,
  write,
  className,
  children,
}: {
  label?: string;
  schema: z.ZodType<V, FieldValues>;
  start: DefaultValues<NoInfer<V>>;
  onSend: (values: V) => void;
  write?: Writing;
  className?: string;
  children: ReactNode;
}) {
  const form = useForm<FieldValues, unknown, V>({
    resolver: zodResolver(schema),
    defaultValues: start as DefaultValues<FieldValues>,
    mode: "onTouched",
  });
  const { isSubmitting } = form.formState;
  return (
    <FormProvider {...form}>
      <form
        aria-label={label}
        aria-busy={write?.busy || isSubmitting || undefined}
        className={className}
        noValidate
        onSubmit={(e) => {
          e.stopPropagation();
          void form.handleSubmit((values) => onSend(values))(e);
        }}
      >
        {children}
        <Trouble error={write?.problem} />
      </form>
    </FormProvider>
  );
}

/** What sends a form. */
export function Send({
  write,
  plain,
  disabled,
  className,
  children,
}: {
  write?: Writing;
  plain?: boolean;
  disabled?: boolean;
  className?: string;
  children: ReactNode;
}) {
  return (
    <Button type="submit" plain={plain} busy={write?.busy} disabled={disabled} className={className}>
      {children}
    </Button>
  );
}

/** The foot of a form that is opened on purpose: what sends it, and a way to leave it. */
export function Foot({
  write,
  onLeave,
  className,
  children,
}: {
  write?: Writing;
  onLeave: () => void;
  className?: string;
  children: ReactNode;
}) {
  return (
    <span className={clsx("flex flex-wrap items-center gap-2", className)}>
      <Send write={write}>{children}</Send>
      <Button plain onClick={onLeave}>
        Cancel
      </Button>
    </span>
  );
}

function useProblem(name: string) {
  const { formState } = useFormContext();
  const found = name
    .split(".")
    .reduce<unknown>((at, part) => (at as Record<string, unknown> | undefined)?.[part], formState.errors);
  return (found as { message?: string } | undefined)?.message;
}

/** The default values of a form's fields, if it marks those that differ. */
export const Defaults = createContext<Record<string, unknown> | undefined>(undefined);

const sayValue = (value: unknown): string => {
  if (typeof value === "boolean") return value ? "on" : "off";
  if (Array.isArray(value)) return value.length > 0 ? value.join(", ") : "none";
  return typeof value === "string" && value !== "" ? value.replaceAll("_", " ") : "empty";
};

/** Shows the default value of a field that differs from it. */
function Changed({ name }: { name: string }) {
  const defaults = useContext(Defaults);
  const value: unknown = useWatch({ name });
  if (!defaults) return null;
  const usual = name
    .split(".")
    .reduce<unknown>((at, part) => (at as Record<string, unknown> | undefined)?.[part], defaults);
  if (JSON.stringify(value ?? "") === JSON.stringify(usual ?? "")) return null;
  return (
    <span data-changed className="ml-1.5 rounded bg-tide-100 px-1.5 text-xs text-tide-700">
      default: {sayValue(usual)}
    </span>
  );
}

/** A label, its field, and below it a hint, or in a sentence what is wrong. */
export function Labelled({
  name,
  label,
  hint,
  className,
  children,
}: {
  name: string;
  label: string;
  hint?: string;
  className?: string;
  children: (id: string, wrong: { "aria-invalid"?: true; "aria-describedby"?: string }) => ReactNode;
}) {
  const id = useId();
  const problem = useProblem(name);
  return (
    <div className={clsx("grid content-start gap-1 text-sm text-ink-2", className)}>
      <span>
        <label htmlFor={id}>{label}</label>
        <Changed name={name} />
      </span>
      {children(id, problem ? { "aria-invalid": true, "aria-describedby": `${id}-p` } : describedBy(hint && `${id}-h`))}
      {hint && !problem && (
        <p id={`${id}-h`} className="text-xs text-ink-3">
          {hint}
        </p>
      )}
      {problem && (
        <p id={`${id}-p`} role="alert" className="text-buoy-700">
          {problem}
        </p>
      )}
    </div>
  );
}

const describedBy = (id?: string) => (id ? { "aria-describedby": id } : {});

export interface Common {
  name: string;
  label: string;
  /** What it is for, or what an empty field does. */
  hint?: string;
  className?: string;
}

export function TextField({
  name,
  label,
  hint,
  className,
  width = "",
  focused,
  ...rest
}: Common & {
  width?: string;
  placeholder?: string;
  maxLength?: number;
  inputMode?: "numeric";
  focused?: boolean;
}) {
  const { register } = useFormContext();
  return (
    <Labelled name={name} label={label} hint={hint} className={className}>
      {(id, wrong) => (
        <input
          id={id}
          // eslint-disable-next-line jsx-a11y/no-autofocus -- only where it was opened on purpose, to be typed into
          autoFocus={focused}
          {...wrong}
          {...rest}
          {...register(name)}
          className={clsx(inputLook, width)}
        />
      )}
    </Labelled>
  );
}

/** A whole number of a few figures. */
export const NumberField = (props: Common) => <TextField {...props} inputMode="numeric" width="w-24" />;

/** Yes or no. */
export function TickField({ name, label, className }: Common) {
  const { register } = useFormContext();
  const id = useId();
  return (
    <div className={clsx("flex items-center gap-2 text-sm text-ink-2", className)}>
      <input id={id} type="checkbox" {...register(name)} />
      <label htmlFor={id}>{label}</label>
      <Changed name={name} />
    </div>
  );
}

/** Several lines of text. */
export function LinesField({ name, label, hint, className, rows = 3 }: Common & { rows?: number }) {
  const { register } = useFormContext();
  return (
    <Labelled name={name} label={label} hint={hint} className={className}>
      {(id, wrong) => (
        <textarea id={id} rows={rows} {...wrong} {...register(name)} className={clsx(inputLook, "h-auto py-1")} />
      )}
    </Labelled>
  );
}

/** A date. What is no date stays in the field, and is told of in a sentence when the form is sent. */
export function DateField({ name, label, hint, className, min }: Common & { min?: string }) {
  const { setValue, control } = useFormContext<Record<string, string>>();
  const value = useWatch({ control, name }) ?? "";
  const set = (text: string) => setValue(name, text, { shouldDirty: true, shouldTouch: true, shouldValidate: true });
  return (
    <Labelled name={name} label={label} hint={hint} className={className}>
      {(id, wrong) => <DateInput id={id} min={min} {...wrong} value={value} onChange={set} onWrong={set} />}
    </Labelled>
  );
}

/** A date, and a time where it matters. What it says is in the form of the file formats: 2026-10-06T14:00. */
export function MomentField({ name, label, hint, className }: Common) {
  const { setValue, control } = useFormContext<Record<string, string>>();
  const [day = "", time = ""] = (useWatch({ control, name }) ?? "").split("T");
  const set = (d: string, t: string) =>
    setValue(name, d && t ? `${d}T${t}` : d, { shouldDirty: true, shouldValidate: true });
  return (
    <Labelled name={name} label={label} hint={hint} className={className}>
      {(id, wrong) => (
        <span className="flex gap-1.5">
          <DateInput
            id={id}
            {...wrong}
            value={day}
            onChange={(d) => set(d, time)}
            onWrong={(text) => set(text, "")}
            className="flex-1"
          />
          <TimeInput label={`${label}, time`} value={time.slice(0, 5)} onChange={(t) => set(day, t)} />
        </span>
      )}
    </Labelled>
  );
}

/** Any number of dates, each of which can be removed. */
export function DatesField({ name, label }: Common) {
  const { setValue, control } = useFormContext<Record<string, string>>();
  const [next, setNext] = useState("");
  const said = useWatch({ control, name }) ?? "";
  const chosen = said.split(/[ ,]+/).filter(Boolean);
  const set = (dates: string[]) => setValue(name, dates.sort().join(", "), { shouldDirty: true, shouldValidate: true });
  const add = () => {
    if (next && !chosen.includes(next)) set([...chosen, next]);
    setNext("");
  };
  return (
    <Labelled name={name} label={label}>
      {(id, wrong) => (
        <>
          <span className="flex flex-wrap gap-1.5 empty:hidden">
            {chosen.map((d) => (
              <button
                key={d}
                type="button"
                aria-label={`Remove ${sayDate(d)}`}
                title="Remove"
                onClick={() => set(chosen.filter((x) => x !== d))}
                className="cursor-pointer rounded border border-edge bg-field px-2 text-sm text-ink"
              >
                {sayDate(d)} <span aria-hidden>×</span>
              </button>
            ))}
          </span>
          <span className="flex gap-1.5">
            <DateInput id={id} {...wrong} value={next} onChange={setNext} className="flex-1" />
            <Button plain disabled={!next} onClick={add}>
              Add
            </Button>
          </span>
        </>
      )}
    </Labelled>
  );
}

export function MoneyField({ name, label, hint, className, focused }: Common & { focused?: boolean }) {
  const { register } = useFormContext();
  return (
    <Labelled name={name} label={label} hint={hint} className={className}>
      {(id, wrong) => (
        <span className="relative grid">
          <span aria-hidden className="pointer-events-none absolute top-1.5 left-2">
            {moneySign()}
          </span>
          <input
            id={id}
            inputMode="decimal"
            // eslint-disable-next-line jsx-a11y/no-autofocus -- only where it was opened on purpose, to be typed into
            autoFocus={focused}
            {...wrong}
            {...register(name)}
            className={clsx(inputLook, "pl-6")}
          />
        </span>
      )}
    </Labelled>
  );
}

export type Option = readonly [code: string, name: string];

/** One of a few. Nothing is saved by walking through it: a form is sent on purpose. */
export function ChoiceField({ name, label, hint, className, options }: Common & { options: readonly Option[] }) {
  const { register } = useFormContext();
  return (
    <Labelled name={name} label={label} hint={hint} className={className}>
      {(id, wrong) => (
        <select id={id} {...wrong} {...register(name)} className={inputLook}>
          {options.map(([code, text]) => (
            <option key={code} value={code}>
              {text}
            </option>
          ))}
        </select>
      )}
    </Labelled>
  );
}

/** Any of a few, each switched on or off. */
/** One of a few, all in sight. */
export function RadioField({ name, label, options, className }: Common & { options: readonly Option[] }) {
  const { register } = useFormContext();
  return (
    <fieldset className={className}>
      <legend className="pb-1 text-sm text-ink-2">
        {label}
        <Changed name={name} />
      </legend>
      <div className="flex flex-wrap gap-1.5">
        {options.map(([code, text]) => (
          <label
            key={code}
            className="cursor-pointer rounded-card border border-edge bg-field px-2.5 py-1 has-checked:border-spruce-700 has-checked:bg-spruce-700 has-checked:text-on has-focus-visible:outline-2"
          >
            <input type="radio" value={code} {...register(name)} className="sr-only" />
            {text}
          </label>
        ))}
      </div>
    </fieldset>
  );
}

/** Several of a few. */
export function Chips({
  label,
  options,
  chosen,
  onChoose,
  says,
  mark,
}: {
  label: string;
  options: readonly Option[];
  chosen: string[];
  /** What stands behind the label. */
  mark?: ReactNode;
  onChoose: (codes: string[]) => void;
  /** What it means that none is chosen. */
  says?: string;
}) {
  return (
    <fieldset>
      <legend className="text-sm text-ink-2">
        {label}
        {chosen.length === 0 && says && `: ${says}`}
        {mark}
      </legend>
      <div className="flex flex-wrap gap-1.5">
        {options.map(([code, name]) => {
          const on = chosen.includes(code);
          return (
            <button
              key={code}
              type="button"
              aria-pressed={on}
              onClick={() => onChoose(on ? chosen.filter((c) => c !== code) : [...chosen, code])}
              className={clsx(
                "cursor-pointer rounded border px-2 text-sm",
                on ? "border-spruce-700 bg-spruce-700 text-on" : "border-edge bg-field",
              )}
            >
              {name}
            </button>
          );
        })}
      </div>
    </fieldset>
  );
}

export function ChipsField({ name, label, options, says }: Common & { options: readonly Option[]; says?: string }) {
  const { setValue, control } = useFormContext<Record<string, string[]>>();
  const chosen = useWatch({ control, name }) ?? [];
  return (
    <Chips
      label={label}
      options={options}
      says={says}
      chosen={chosen}
      mark={<Changed name={name} />}
      onChoose={(codes) => setValue(name, codes, { shouldDirty: true, shouldValidate: true })}
    />
  );
}

/** Whether a form says something else than it began with. */
export const useDirty = () => useFormContext().formState.isDirty;

/** What a field says now, for what depends on it. Made once for a form, it knows the sort of each of its fields. */
export function saysOf<V extends FieldValues>() {
  return function useSaid<N extends Path<V>>(name: N): PathValue<V, N> {
    return useWatch<V, N>({ name });
  };
}

/** Sets a field from outside of it. */
export function useSet<V extends FieldValues>() {
  const { setValue } = useFormContext<V>();
  return setValue;
}

/** Does something whenever anything in the form is changed, such as dropping a preview of how it was before. */
export function WhenChanged({ run }: { run: () => void }) {
  const { subscribe } = useFormContext();
  const now = useRef(run);
  useEffect(() => void (now.current = run));
  useEffect(
    () => subscribe({ formState: { values: true }, callback: ({ name }) => name && now.current() }),
    [subscribe],
  );
  return null;
}

/** Keeps a field at what something else settles. */
export function Follows({ name, value }: { name: string; value: unknown }) {
  const { setValue } = useFormContext();
  useEffect(() => setValue(name, value), [name, value, setValue]);
  return null;
}
