// Somebody may scan while a page still loads. Keys that come before the application is there are kept for it.
window.early = [];
window.addEventListener(
  "keydown",
  (e) => {
    if (window.early && !e.ctrlKey && !e.metaKey && !e.altKey)
      window.early.push({ key: e.key, at: e.timeStamp, held: e.repeat });
  },
  true,
);
