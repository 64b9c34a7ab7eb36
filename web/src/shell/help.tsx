import { useQuery } from "@tanstack/react-query";
import { Link, useRouterState } from "@tanstack/react-router";
import { CircleHelp } from "lucide-react";
import { Dialog } from "radix-ui";
import { useRef } from "react";
import { useStore } from "zustand";
import { createStore } from "zustand/vanilla";
import { Loading } from "../ui/loading";
import { helpOf, loadGuide, loadPage, type GuidePage } from "./guide";
import { useWhy } from "./why";

const shown = createStore(() => ({ open: false }));

/** Whether help is open beside the place, which then leaves room for it. */
export function useHelpOpen() {
  const open = useStore(shown, (s) => s.open);
  const path = useRouterState({ select: (s) => s.location.pathname });
  return open && helpOf[path] !== undefined;
}
export const closeHelp = () => shown.setState({ open: false });

/** A page of the guide, or all of them, with what shows its text. Both are parts of the program that load when they are needed. */
export const useGuide = (page?: GuidePage) =>
  useQuery({
    queryKey: ["guide", page ?? "all"],
    staleTime: Infinity,
    structuralSharing: false,
    queryFn: async () => {
      const load = Promise.all([page ? loadPage(page) : loadGuide(), import("./guidetext")]);
      const [sections, { GuideText: Text }] = await load.catch(() => {
        throw new Error("The guide could not be loaded. Check the connection and retry.");
      });
      return { sections, Text };
    },
  });

/**
 * Help about the place one is in: its section of the guide, in a drawer that stops nothing. Scans made while it is open go where
 * they would go without it.
 */
export function Help() {
  const open = useStore(shown, (s) => s.open);
  const why = useWhy();
  const setOpen = (to: boolean) => {
    if (to) why.close(); // one drawer at a time
    shown.setState({ open: to });
  };
  const button = useRef<HTMLButtonElement>(null);
  const path = useRouterState({ select: (s) => s.location.pathname });
  const help = helpOf[path];
  if (!help) return null;
  return (
    <Dialog.Root open={open} onOpenChange={setOpen} modal={false}>
      <Dialog.Trigger
        ref={button}
        aria-label="Help with this page"
        title="Help with this page"
        className="hidden cursor-pointer text-ink-2 md:block"
      >
        <CircleHelp size={22} aria-hidden />
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Content
          aria-describedby={undefined}
          onInteractOutside={(e) => e.preventDefault()}
          onCloseAutoFocus={(e) => {
            e.preventDefault();
            button.current?.focus();
          }}
          className="fixed top-[53px] right-0 bottom-0 z-20 w-[380px] max-w-full overflow-y-auto border-l border-line-strong bg-surface px-5 py-4 shadow-xl outline-none print:hidden"
        >
          <About {...help} onGo={() => setOpen(false)} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function About({ page, section, onGo }: { page: GuidePage; section: string; onGo: () => void }) {
  const guide = useGuide(page);
  const about = guide.data?.sections.find((s) => s.slug === section);
  return (
    <>
      <div className="mb-2 flex items-baseline justify-between gap-3">
        <Dialog.Title className="text-xl font-semibold">{about?.heading ?? "Help"}</Dialog.Title>
        <Dialog.Close className="quiet cursor-pointer">Close</Dialog.Close>
      </div>
      <Loading of={guide}>{({ Text }) => <Text text={about?.text ?? ""} />}</Loading>
      <p className="mt-4 border-t border-line pt-3">
        <Link to="/help" search={{ page, section }} onClick={onGo} className="link">
          Open the guide
        </Link>
      </p>
    </>
  );
}
