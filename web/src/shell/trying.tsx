import type { ReactNode } from "react";
import { InSight } from "../ui/insight";
import { Button, Trouble } from "../ui/parts";
import type { Tried } from "./tried";

/** Preview and Apply of something done to many: what stands in its way, what it would do, and what it did. */
export function Trying<O>({
  tried,
  disabled,
  applies = () => true,
  lacks,
  onCancel,
  show,
  after,
}: {
  tried: Tried<O>;
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
  const { would, did } = tried;
  return (
    <>
      <Trouble error={tried.problem} />
      <span className="flex flex-wrap gap-2">
        <Button plain={!!would} busy={tried.busy} disabled={disabled} onClick={tried.look}>
          Preview
        </Button>
        {/* It keeps its place once it is done: a second click must not fall on what moves up. */}
        {(did ?? (would && applies(would))) && (
          <Button busy={tried.busy} disabled={!would || !!lacks} onClick={tried.act}>
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
