import { useMutation, useQueryClient } from "@tanstack/react-query";
import { keepPictures } from "../../api/client";
import { useScope } from "../../app/scope";
import { Fault } from "../../parts/basics";
import { several } from "../../parts/number";

/** The pictures of the rows, where a column names them: how many were brought in, and a way to bring them. */
export function Pictures() {
  const { study, mayWrite } = useScope();
  const queries = useQueryClient();
  const keeping = useMutation({
    mutationFn: (file: File) => keepPictures(study.id, file),
    onSuccess: (now) => queries.setQueryData(["study", study.id], now),
  });
  const { show } = study.mapping as { show?: { picture?: string } };
  if (!show?.picture) return null;
  const there = study.pictures;
  return (
    <div className="text-sm mt-1" data-part="pictures">
      <p>
        <span className="text-soft">pictures named in</span> {show.picture}:{" "}
        {there ? several(there.count, "picture") : "none was brought in"}
        {mayWrite && (
          <label className="link ml-3 cursor-pointer focus-within:outline-2">
            {keeping.isPending ? "taking them in …" : there ? "others in their place" : "bring them in, as a zip"}
            <input
              type="file"
              accept=".zip"
              className="sr-only"
              disabled={keeping.isPending}
              onChange={(e) => {
                const file = e.target.files?.[0];
                if (file) keeping.mutate(file);
                e.target.value = "";
              }}
            />
          </label>
        )}
      </p>
      <Fault error={keeping.error} />
    </div>
  );
}
