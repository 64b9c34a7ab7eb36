import { useEffect } from "react";

/** What is opened is looked at from its top, however far down one was before. */
export function useTop() {
  useEffect(() => {
    const place = document.getElementById("place");
    if (place) place.scrollTop = 0;
  }, []);
}
