import { createJSONStorage } from "zustand/middleware";

/** Where a place keeps its state through reloads of this window. A browser that can keep no more stops nothing: the state stays here. */
export const kept = <S>() =>
  createJSONStorage<S>(() => ({
    getItem: (name) => sessionStorage.getItem(name),
    removeItem: (name) => sessionStorage.removeItem(name),
    setItem: (name, value) => {
      try {
        sessionStorage.setItem(name, value);
      } catch (e) {
        sessionStorage.removeItem(name); // what is older than what is known would mislead after a reload
        console.warn(`${name} is not kept when the page is reloaded.`, e);
      }
    },
  }));
