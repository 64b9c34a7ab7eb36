import { createStore } from "zustand/vanilla";
import { api, keyed, type Schema } from "../../../api/client";
import { base64 } from "../../../ui/bytes";
import { surely } from "../../../shell/surely";

/**
 * Sends a file part after part, so that it may be of any length and a line that breaks loses nothing. It goes on while one works
 * elsewhere in this window; what has come stays, and the same file chosen again goes on from there.
 */

export type Intake = Schema["IntakeIntake"];

interface Sending {
  id: number;
  come: number;
  problem?: unknown;
  ended?: boolean;
}

/** What this window is sending, by the file it sends. */
export const sending = createStore<Record<number, Sending>>(() => ({}));

/** So many bytes go at once. */
const part = 600_000;

const put = (s: Sending) => sending.setState({ [s.id]: s });

/** Sends what has not arrived of a file yet. */
export async function send(intake: Intake, file: File): Promise<void> {
  const { id } = intake;
  put({ id, come: intake.come });
  try {
    for (let at = intake.come; at < file.size;) {
      const content = base64(new Uint8Array(await file.slice(at, at + part).arrayBuffer()));
      const begins = at;
      const { come } = await surely((key) =>
        api.POST("/api/intakes/{id}/parts", {
          params: { path: { id }, header: keyed(key) },
          body: { begins, content },
        }),
      );
      at = come;
      put({ id, come });
    }
    put({ id, come: file.size, ended: true });
  } catch (problem) {
    put({ id, come: sending.getState()[id]?.come ?? intake.come, problem, ended: true });
  }
}
