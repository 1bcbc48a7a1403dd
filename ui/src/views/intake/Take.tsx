import { useRef, useState } from "react";
import { type Schemas, upload } from "../../api/client";
import { Button, Fault } from "../../parts/basics";

type Upload = Schemas["UploadOut"];

type TakeProps = {
  label: string;
  hint: string;
  many?: boolean;
  onTaken: (u: Upload) => void;
  onBusy: (busy: boolean) => void;
};

/** Files, or pasted columns, sent up with progress and a way to stop. */
export function Take({ label, hint, many = false, onTaken, onBusy }: TakeProps) {
  const [progress, setProgress] = useState<{ name: string; share: number } | null>(null);
  const [fault, setFault] = useState<unknown>(null);
  const [pasting, setPasting] = useState<string | null>(null);
  const stop = useRef<AbortController | null>(null);
  const take = async (files: File[]) => {
    setFault(null);
    onBusy(true);
    stop.current = new AbortController();
    const { signal } = stop.current;
    for (const file of files) {
      if (signal.aborted) break;
      setProgress({ name: file.name, share: 0 });
      try {
        onTaken(await upload(file, (share) => setProgress({ name: file.name, share }), signal));
        setPasting(null);
      } catch (e) {
        setFault(e);
      }
    }
    setProgress(null);
    onBusy(false);
  };
  return (
    <div className="mt-2">
      <label className="flex items-center gap-3 border border-dashed border-faint rounded-md px-3 py-2.5 hover:border-ink cursor-pointer">
        <span className="font-semibold">{label}</span>
        <span className="text-sm text-soft flex-1">{hint}</span>
        <input
          type="file"
          aria-label={label}
          multiple={many}
          className="text-sm max-w-56"
          accept=".csv,.tsv,.txt,.jsonl,.parquet,.arrow,.gz"
          onChange={(e) => {
            void take([...(e.target.files ?? [])]);
            if (many) e.target.value = "";
          }}
        />
      </label>
      {progress && (
        <p className="text-sm mt-1" role="status">
          {progress.name}: {progress.share < 1 ? `${Math.round(100 * progress.share)} % sent` : "reading"}{" "}
          <progress value={progress.share} className="align-middle" />{" "}
          <Button kind="bare" className="text-sm" onClick={() => stop.current?.abort()}>
            Cancel
          </Button>
        </p>
      )}
      {pasting === null ? (
        <Button kind="bare" className="text-sm text-soft mt-0.5" onClick={() => setPasting("")}>
          or paste columns from a spreadsheet
        </Button>
      ) : (
        <div className="mt-1">
          <textarea
            aria-label={`${label}: pasted columns`}
            className="field font-mono text-sm h-28"
            placeholder="with a line of column names first"
            value={pasting}
            onChange={(e) => setPasting(e.target.value)}
          />
          <Button
            disabled={!pasting.trim() || progress !== null}
            onClick={() => void take([new File([`${pasting.trim()}\n`], "pasted.tsv")])}
          >
            Use pasted columns
          </Button>
        </div>
      )}
      <Fault error={fault} />
    </div>
  );
}
