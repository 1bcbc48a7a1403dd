import { DropdownMenu } from "radix-ui";
import { Link, useNavigate } from "react-router";
import { api, got, type Study } from "../api/client";
import { useSession } from "../api/queries";
import { useHandOver } from "./handOver";
import { chooseTheme, theme } from "./theme";

export const ITEM =
  "px-2.5 py-1.5 rounded-md outline-none data-[highlighted]:bg-light data-[disabled]:text-soft cursor-pointer";
export const MENU = "z-40 min-w-40 bg-sheet border border-ink rounded-[4px] p-1";

type Props = { title: string; study?: Study; onKeys?: () => void; onFind?: () => void };

export function TopBar({ title, study, onKeys, onFind }: Props) {
  return (
    <header className="flex items-center gap-4 px-4 h-[45px] shrink-0 border-b border-rule bg-paper">
      <Link
        to="/"
        className="font-serif italic font-semibold text-[20px] leading-none relative"
        aria-label="Skarlo, all studies"
      >
        Skarlo
        <span className="absolute left-0 -bottom-1.5 w-5 h-[2px] bg-ink" />
      </Link>
      <span className="font-serif text-lg font-semibold truncate" data-part="title">
        {title}
      </span>
      {study && (
        <Link
          to={`/studies/${study.id}/dossier`}
          className="border border-rule bg-sheet rounded-md px-2 py-0.5 text-sm whitespace-nowrap hover:border-ink"
        >
          {study.stamp ? `revision ${study.revision} · ${study.stamp}` : "draft"}
        </Link>
      )}
      <span className="flex-1" />
      {onKeys && (
        <button type="button" className="text-sm text-soft hover:text-ink" onClick={onKeys}>
          <span className="kbd">?</span> keys
        </button>
      )}
      {onFind && (
        <button type="button" className="text-sm text-soft hover:text-ink" onClick={onFind}>
          <span className="kbd">/</span> find
        </button>
      )}
      <Account />
    </header>
  );
}

function Account() {
  const user = useSession().data?.user;
  const handOver = useHandOver();
  const navigate = useNavigate();
  if (!user) return null;
  const leave = async () => {
    const nobody = await got(api.DELETE("/api/v1/session"));
    navigate("/sign-in", { flushSync: true }); // first, so that nothing of the page is asked for once more
    handOver(nobody);
  };
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger className="border border-rule bg-sheet rounded-md px-2.5 py-1">
        {user.name}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={4} className={MENU}>
          <DropdownMenu.Label className="px-2.5 py-1 text-sm text-soft">{user.role}</DropdownMenu.Label>
          <DropdownMenu.RadioGroup value={theme()} onValueChange={chooseTheme}>
            {(["system", "light", "dark"] as const).map((t) => (
              <DropdownMenu.RadioItem key={t} value={t} className={ITEM}>
                {t === "system" ? "As the system" : t === "light" ? "Light" : "Dark"}
                <DropdownMenu.ItemIndicator> ✓</DropdownMenu.ItemIndicator>
              </DropdownMenu.RadioItem>
            ))}
          </DropdownMenu.RadioGroup>
          <DropdownMenu.Separator className="h-px bg-rule my-1" />
          <DropdownMenu.Item className={ITEM} onSelect={() => void leave()}>
            Sign out
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
