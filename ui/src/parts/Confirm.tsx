import { Slot } from "radix-ui";
import { type ReactElement, type ReactNode, useState } from "react";
import { Button, Fault } from "./basics";
import { Modal } from "./Modal";

type Props = {
  trigger: ReactElement;
  title: string;
  /** What the button says; null where it cannot be done, and the text says why. */
  yes: string | null;
  children: ReactNode;
  onYes: () => Promise<unknown>;
};

/** Asks once before something goes. */
export function Confirm({ trigger, title, yes, children, onYes }: Props) {
  const [open, setOpen] = useState(false);
  const [fault, setFault] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const go = async () => {
    setBusy(true);
    setFault(null);
    try {
      await onYes();
      setOpen(false);
    } catch (e) {
      setFault(e);
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      <Slot.Root onClick={() => setOpen(true)}>{trigger}</Slot.Root>
      <Modal open={open} onOpenChange={setOpen} title={title}>
        <div>{children}</div>
        <Fault error={fault} />
        <div className="flex gap-2 mt-3">
          {yes !== null && (
            <Button kind="strong" disabled={busy} onClick={() => void go()}>
              {yes}
            </Button>
          )}
          <Button onClick={() => setOpen(false)}>{yes === null ? "Close" : "Keep it"}</Button>
        </div>
      </Modal>
    </>
  );
}
