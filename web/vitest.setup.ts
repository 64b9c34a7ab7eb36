import { vi } from "vitest";

// All files of tests share one process and one page, which takes a tenth of the time. Each begins with modules and a page of its own.
vi.resetModules();
document.body.replaceChildren();
localStorage.clear();
sessionStorage.clear();
