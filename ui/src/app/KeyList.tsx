import { Modal } from "../parts/Modal";
import { KEYS } from "./keys";

export function KeyList({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  return (
    <Modal open={open} onOpenChange={onOpenChange} title="Keys">
      <dl className="grid grid-cols-[6rem_1fr] gap-y-1.5">
        {KEYS.map(([key, what]) => (
          <div key={key} className="contents">
            <dt>
              <span className="kbd">{key}</span>
            </dt>
            <dd>{what}</dd>
          </div>
        ))}
      </dl>
      <p className="text-sm text-soft mt-3">No key does something that cannot be undone.</p>
    </Modal>
  );
}
