import { type FormEvent, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, got } from "../../api/client";
import { useSession } from "../../api/queries";
import { useHandOver, useOtherWindows } from "../../app/handOver";
import { Button, Fault } from "../../parts/basics";

/** Only an address of this site is gone back to. */
const inside = (to: string | null) => (to?.startsWith("/") && !to.startsWith("//") ? to : "/");

export function SignIn() {
  const [search] = useSearchParams();
  const navigate = useNavigate();
  const handOver = useHandOver();
  const to = inside(search.get("to"));
  useSession();
  useOtherWindows(to);
  const [fault, setFault] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const send = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    setBusy(true);
    try {
      const body = { name: String(form.get("name")), password: String(form.get("password")) };
      handOver(await got(api.POST("/api/v1/session", { body })));
      navigate(to, { replace: true });
    } catch (e) {
      setFault(e);
    } finally {
      setBusy(false);
    }
  };
  return (
    <main className="min-h-full grid place-items-center px-6">
      <form onSubmit={send} className="w-[21rem] bg-sheet border border-rule px-8 py-9">
        <p className="font-serif italic font-semibold text-[34px] leading-none relative w-fit mb-5">
          Skarlo
          <span className="absolute left-0 -bottom-2 w-8 h-[3px] bg-ink" />
        </p>
        <h1 className="text-lg mb-4 font-normal">Evaluate classifiers, argue it honestly, get it signed.</h1>
        <label className="block text-sm text-soft" htmlFor="name">
          Name
        </label>
        <input id="name" name="name" autoComplete="username" required className="field mb-3" />
        <label className="block text-sm text-soft" htmlFor="password">
          Password
        </label>
        <input
          id="password"
          name="password"
          type="password"
          autoComplete="current-password"
          required
          className="field"
        />
        <Fault error={fault} />
        <Button kind="strong" type="submit" disabled={busy} className="w-full mt-4 py-1.5">
          Sign in
        </Button>
      </form>
    </main>
  );
}
