import { useQueryClient } from "@tanstack/react-query";
import { type Session, takeToken } from "../api/client";
import { forget } from "./undo";

/** Hand the page over to whom a session is of, or to nobody: nothing of whom it was before stays. */
export function useHandOver(): (to: Session) => void {
  const queries = useQueryClient();
  return (to) => {
    takeToken(to);
    queries.clear();
    queries.setQueryData(["session"], to);
    forget();
  };
}
