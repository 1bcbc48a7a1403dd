import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

type Props = {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  wide?: boolean;
  children: ReactNode;
};

/** A dialog over the page; Esc closes it. */
export function Modal({ open, onOpenChange, title, wide = false, children }: Props) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <Dialog.Content
          data-modal=""
          aria-describedby={undefined}
          className={`fixed z-50 left-1/2 -translate-x-1/2 max-w-[94vw] overflow-auto bg-sheet border border-ink rounded-[4px] p-5 ${wide ? "top-[8%] w-[48rem] max-h-[84vh]" : "top-[18%] w-[30rem] max-h-[76vh]"}`}
        >
          <Dialog.Title className="font-serif text-lg font-semibold mb-2">{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
