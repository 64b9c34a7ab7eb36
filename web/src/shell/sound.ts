import { soundsOn } from "./settings";

/** Three sounds, each different: done, ask, wrong. Each has a visible twin; they can be switched off. */
export type Sound = "done" | "ask" | "wrong";

const tunes: Record<Sound, [hertz: number, seconds: number][]> = {
  done: [[880, 0.07]],
  ask: [
    [560, 0.1],
    [740, 0.12],
  ],
  wrong: [
    [220, 0.16],
    [165, 0.26],
  ],
};

let context: AudioContext | undefined;

export function play(sound: Sound) {
  if (!soundsOn() || typeof AudioContext === "undefined") return;
  context ??= new AudioContext();
  let at = context.currentTime;
  for (const [hertz, seconds] of tunes[sound]) {
    const tone = context.createOscillator();
    const level = context.createGain();
    tone.frequency.value = hertz;
    tone.type = sound === "wrong" ? "square" : "sine";
    level.gain.setValueAtTime(0.12, at);
    level.gain.exponentialRampToValueAtTime(0.001, at + seconds);
    tone.connect(level).connect(context.destination);
    tone.start(at);
    tone.stop(at + seconds);
    at += seconds;
  }
}

/** Plays what became of a scan. */
export const sound = ({ state }: { state: string }) => {
  if (state === "done" || state === "ask" || state === "wrong") play(state);
};
