import { useState } from "react";
import { dossierCalls, useDossierChange } from "../api/queries";
import { Button, Fault } from "../parts/basics";
import { Modal } from "../parts/Modal";
import { several } from "../parts/number";
import { sliceNamed, useScope } from "./scope";
import { useSteps, type View } from "./steps";
import { remember } from "./undo";

type Props = { open: boolean; onOpenChange: (open: boolean) => void; view: View };

/** Pin the view as it stands, with a caption. */
export function PinDialog({ open, onOpenChange, view }: Props) {
  const { study, split, slice, show, cutoffs, of, within, own } = useScope();
  const { titleOf, entry } = useSteps();
  const [caption, setCaption] = useState("");
  const calls = dossierCalls(study.id);
  const pin = useDossierChange(study.id, calls.pin);
  const unpin = useDossierChange(study.id, calls.unpin);
  const send = () =>
    pin.mutate(
      {
        view,
        scope: {
          split,
          show,
          cutoffs,
          of: entry(view)?.says?.ofClass ? of : "",
          within,
          own: { ...entry(view)?.usual?.(study), ...own },
        },
        caption,
      },
      {
        onSuccess: (dossier) => {
          const added = dossier.exhibits.at(-1);
          if (added) remember({ what: `pinning ${titleOf(view)}`, back: () => unpin.mutateAsync(added.id) });
          setCaption("");
          onOpenChange(false);
        },
      },
    );
  return (
    <Modal open={open} onOpenChange={onOpenChange} title={`Pin ${titleOf(view)} as an exhibit`}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          send();
        }}
      >
        <label className="block text-sm text-soft mb-1" htmlFor="caption">
          Caption: what this shows, in your words
        </label>
        <textarea
          id="caption"
          className="field font-serif text-lg"
          rows={3}
          maxLength={2000}
          value={caption}
          onChange={(e) => setCaption(e.target.value)}
          onKeyDown={(e) => {
            if (e.key !== "Enter" || e.shiftKey) return;
            e.preventDefault();
            send();
          }}
        />
        <p className="text-sm text-soft mt-1">
          Kept with it: the {split} rows{slice.length > 0 && ` where ${sliceNamed(within)}`},{" "}
          {several(show.length, "candidate")}, their cutoffs.
        </p>
        <Fault error={pin.error} />
        <div className="flex gap-2 mt-3 justify-end">
          <Button onClick={() => onOpenChange(false)}>Cancel</Button>
          <Button kind="strong" type="submit" disabled={pin.isPending || show.length === 0}>
            Pin it
          </Button>
        </div>
      </form>
    </Modal>
  );
}
