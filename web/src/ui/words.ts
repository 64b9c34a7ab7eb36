import { useEffect, useRef, useState } from "react";

/** After a pause of so many milliseconds what is typed is searched for. */
const pause = 250;

/**
 * Words that are typed into a search, and that stand in the address once they have stood still. Words that come from
 * elsewhere, such as the scan line, take the place of what was typed.
 */
export function useWords(words: string, go: (words: string) => void) {
  const [typed, setTyped] = useState({ text: words, led: words });
  const timer = useRef(0);
  useEffect(() => () => clearTimeout(timer.current), []);
  const type = (text: string) => {
    setTyped({ text, led: words });
    clearTimeout(timer.current);
    timer.current = window.setTimeout(() => {
      const led = text.trim();
      setTyped({ text, led });
      go(led);
    }, pause);
  };
  return [typed.led === words ? typed.text : words, type] as const;
}

/** What was typed, once it has not changed for some milliseconds. */
export function useStill(text: string, after = 200) {
  const [still, setStill] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => setStill(text), after);
    return () => clearTimeout(timer);
  }, [text, after]);
  return still;
}
