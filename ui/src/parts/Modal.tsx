import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

type Props = { open: boolean; onOpenChange: (open: boolean) => void; title: string; children: ReactNode };

/** A dialog over the page; Esc backs out. */
export function Modal({ open, onOpenChange, title, children }: Props) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <Dialog.Content
          data-modal=""
          aria-describedby={undefined}
          className="fixed z-50 left-1/2 top-[18%] -translate-x-1/2 w-[30rem] max-w-[94vw] max-h-[76vh] overflow-auto bg-sheet border border-ink rounded-[4px] p-5"
        >
          <Dialog.Title className="font-serif text-lg font-semibold mb-2">{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
