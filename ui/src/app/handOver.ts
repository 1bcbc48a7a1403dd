import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, got, type Session, takeToken } from "../api/client";
import { forget } from "./undo";

const others = new BroadcastChannel("session"); // the windows of this browser, whose sign-in is one

/** Hand the page over to whom a session is of, or to nobody: nothing of whom it was before stays, nor in the other
 * windows. */
export function useHandOver(): (to: Session) => void {
  const queries = useQueryClient();
  return (to) => {
    takeToken(to);
    queries.clear();
    queries.setQueryData(["session"], to);
    forget();
    others.postMessage(null);
  };
}

/** Where somebody signs in or out in another window, this one begins anew.
 *
 * to : where it goes once somebody has signed in; stays where it is if left out
 */
export function useOtherWindows(to?: string) {
  const queries = useQueryClient();
  useEffect(() => {
    const ask = async () => {
      const now = await got(api.GET("/api/v1/session"));
      const before = queries.getQueryData<Session>(["session"]);
      if (before?.user?.name === now.user?.name) queries.setQueryData(["session"], takeToken(now));
      else if (now.user && to) window.location.replace(to);
      else window.location.reload();
    };
    const heard = () => void ask().catch(() => {}); // whoever does not hear it is asked to sign in once refused
    others.addEventListener("message", heard);
    return () => others.removeEventListener("message", heard);
  }, [queries, to]);
}
