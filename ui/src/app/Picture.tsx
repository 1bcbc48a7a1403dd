import { useState } from "react";
import { pictureAt } from "../api/client";
import { useScope } from "./scope";

/** The picture of a row; a frame with its name where it was not brought in. */
export function Picture({ name, large = false }: { name: string; large?: boolean }) {
  const { study } = useScope();
  const [lost, lose] = useState(false);
  if (!study.pictures || lost)
    return (
      <span
        className="flex items-center justify-center h-20 border border-dashed border-rule text-xs text-soft p-1 break-all overflow-hidden"
        title={name}
      >
        {name}
      </span>
    );
  return (
    <img
      src={pictureAt(study.id, name, study.pictures.sha256)}
      alt={name}
      loading="lazy"
      className={`block w-full object-contain bg-paper my-0.5 ${large ? "h-72" : "h-20"}`}
      onError={() => lose(true)}
    />
  );
}
