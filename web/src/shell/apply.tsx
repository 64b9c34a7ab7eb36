import type { ReactNode } from "react";
import { InSight } from "../ui/insight";
import { Button, Trouble } from "../ui/parts";
import type { Previewed } from "./preview";

/** The buttons Preview and Apply of a batch change, with its problem, what it would change, and what it has changed. */
export function PreviewAndApply<O>({
  preview,
  disabled,
  applies = () => true,
  lacks,
  onCancel,
  show,
  after,
}: {
  preview: Previewed<O>;
  /** Nothing can be previewed yet. */
  disabled?: boolean;
  /** Whether a preview leaves anything to apply. */
  applies?: (would: O) => boolean;
  /** What is needed before it can be applied, in a sentence. */
  lacks?: string | false;
  onCancel?: () => void;
  show: (is: O, would: boolean) => ReactNode;
  /** What can be done after it, such as undoing it. */
  after: (did: O) => ReactNode;
}) {
  const { would, did } = preview;
  return (
    <>
      <Trouble error={preview.problem} />
      <span className="flex flex-wrap gap-2">
        <Button plain={!!would} busy={preview.busy} disabled={disabled} onClick={preview.look}>
          Preview
        </Button>
        {/* It keeps its place once it is done: a second click must not fall on what moves up. */}
        {(did ?? (would && applies(would))) && (
          <Button busy={preview.busy} disabled={!would || !!lacks} onClick={preview.act}>
            Apply
          </Button>
        )}
        {onCancel && (
          <Button plain onClick={onCancel}>
            Cancel
          </Button>
        )}
        {would && lacks && <span className="self-center text-sm text-ink-2">{lacks}</span>}
      </span>
      {would && <InSight of={would}>{show(would, true)}</InSight>}
      {did && (
        <div role="status" className="rounded bg-tide-100 px-3 py-2">
          {show(did, false)}
          {after(did)}
        </div>
      )}
    </>
  );
}
