import { Ellipsis } from "lucide-react";
import { DropdownMenu } from "radix-ui";

export const menuLook =
  "z-40 max-h-[80vh] min-w-44 overflow-auto rounded-card border border-line-strong bg-surface p-1 text-ink shadow-lg";
export const menuItem =
  "cursor-pointer rounded px-3 py-1.5 outline-none data-[highlighted]:bg-spruce-100 data-[disabled]:cursor-default data-[disabled]:text-ink-3";

/** An action of a row. */
export interface Act {
  name: string;
  run: () => void;
  disabled?: boolean;
}

/** The menu of a row, for everything beyond its one or two buttons. It shows nothing if there are no actions. */
export function More({ of, acts, name = "More" }: { of: string; acts: (Act | false | undefined)[]; name?: string }) {
  const offered = acts.filter((a): a is Act => !!a);
  if (offered.length === 0) return null;
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger
        aria-label={`${name}: ${of}`}
        title={name}
        className="grid size-7 flex-none cursor-pointer place-items-center rounded text-ink-2 hover:bg-spruce-100 data-[state=open]:bg-spruce-100"
      >
        <Ellipsis size={18} aria-hidden />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" className={menuLook}>
          {offered.map((a) => (
            <DropdownMenu.Item key={a.name} className={menuItem} disabled={a.disabled} onSelect={a.run}>
              {a.name}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
