import clsx from "clsx";
import { useId } from "react";
import { useFormContext } from "react-hook-form";
import { useMe } from "../shell/me";
import { Labelled, type Common } from "../ui/forms";
import { inputLook } from "../ui/parts";

/** The network's reasons of a list, offered below a field in which other words can be typed too. */
export function Reasons({ list, id }: { list: "waive" | "cancel" | "refuse"; id: string }) {
  const { reasons } = useMe();
  return (
    <datalist id={id}>
      {reasons
        .filter((r) => r.list === list)
        .map((r) => (
          <option key={r.name} value={r.name} />
        ))}
    </datalist>
  );
}

/** A reason: one of the network's, or other words. */
export function ReasonField({ list, ...rest }: Common & { list: "waive" | "cancel" | "refuse"; width?: string }) {
  const { register } = useFormContext();
  const offered = useId();
  return (
    <Labelled {...rest}>
      {(id, wrong) => (
        <>
          <input
            id={id}
            list={offered}
            autoComplete="off"
            {...wrong}
            {...register(rest.name)}
            className={clsx(inputLook, rest.width)}
          />
          <Reasons list={list} id={offered} />
        </>
      )}
    </Labelled>
  );
}
