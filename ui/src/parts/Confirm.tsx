import { Slot } from "radix-ui";
import { type ReactElement, type ReactNode, useState } from "react";
import { Button, Fault } from "./basics";
import { Modal } from "./Modal";

type Props = {
  trigger: ReactElement;
  title: string;
  yes: string;
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
        <p>{children}</p>
        <Fault error={fault} />
        <div className="flex gap-2 mt-3">
          <Button kind="scarlet" disabled={busy} onClick={() => void go()}>
            {yes}
          </Button>
          <Button onClick={() => setOpen(false)}>Keep it</Button>
        </div>
      </Modal>
    </>
  );
}
