import { useMe } from "../shell/me";
import { ChoiceField } from "../ui/forms";
import { Field, inputLook } from "../ui/parts";

/** A branch of the network as a field of a form. */
export function BranchField({ name, label = "Branch", all }: { name: string; label?: string; all?: string }) {
  const { branches } = useMe();
  const options = branches.map((b) => [b.code, b.name] as const);
  return <ChoiceField name={name} label={label} options={all === undefined ? options : [["", all], ...options]} />;
}

/** A branch that narrows what a place shows. All: what the choice of every branch is called, where there is one. */
export function BranchChoice({
  label = "Branch",
  all,
  value,
  onChange,
}: {
  label?: string;
  all?: string;
  value: string;
  onChange: (branch: string) => void;
}) {
  const { branches } = useMe();
  return (
    <Field label={label}>
      <select className={inputLook} value={value} onChange={(e) => onChange(e.target.value)}>
        {all !== undefined && <option value="">{all}</option>}
        {branches.map((b) => (
          <option key={b.code} value={b.code}>
            {b.name}
          </option>
        ))}
      </select>
    </Field>
  );
}
