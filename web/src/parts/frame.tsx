import { roleWords } from "../data/words";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, Outlet, useLocation, useNavigate } from "@tanstack/react-router";
import { BookOpen, ClipboardList, Inbox, KeyRound, LogOut, Moon, Plus, Settings, Sun } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useEffect, type ReactNode } from "react";
import { Toaster } from "sonner";
import { useDesk, useSession, useSignOut } from "../data/hooks";
import { setPasted } from "../data/pasted";
import { AtHandProvider } from "./athand";
import { Commands } from "./commands";
import { SearchField } from "./searchfield";
import { useTheme } from "./theme";

/** What stands around every page: the rooms at the left, search and New at the top. */
export function Frame() {
  usePasting();
  return (
    <AtHandProvider>
      <div className="min-h-screen wide:ps-[76px] print:ps-0">
        <a
          href="#main"
          className="sr-only focus:not-sr-only focus:fixed focus:top-2 focus:start-2 focus:z-40 focus:bg-leaf focus:p-2"
        >
          <Trans>Skip to the page</Trans>
        </a>
        <Rooms />
        <div className="mx-auto max-w-[1204px] px-4 pb-24 wide:px-8 wide:pb-10">
          <TopBar />
          <main id="main">
            <Outlet />
          </main>
        </div>
        <Commands />
        <Toaster
          containerAriaLabel={t`Notifications`}
          position="bottom-right"
          toastOptions={{ className: "!bg-leaf !text-ink !border-line" }}
        />
      </div>
    </AtHandProvider>
  );
}

/** A text pasted anywhere but into a field becomes a new entry. */
function usePasting() {
  const navigate = useNavigate();
  const maker = useSession().data?.role !== "reader";
  useEffect(() => {
    const onPaste = (e: ClipboardEvent) => {
      const at = e.target as HTMLElement | null;
      const text = e.clipboardData?.getData("text/plain") ?? "";
      if (!maker || !text.trim() || at?.closest?.("input, textarea, select, [contenteditable]")) return;
      if (window.location.pathname === "/new") return;
      e.preventDefault();
      setPasted(text);
      void navigate({ to: "/new" });
    };
    document.addEventListener("paste", onPaste);
    return () => document.removeEventListener("paste", onPaste);
  }, [maker, navigate]);
}

function Rooms() {
  const session = useSession().data;
  const desk = useDesk().data;
  return (
    <nav
      aria-label={t`Rooms`}
      className="fixed inset-x-0 bottom-0 z-10 flex print:hidden items-center justify-around gap-1 border-t border-line bg-paper px-2 py-1 wide:inset-y-0 wide:end-auto wide:w-[76px] wide:flex-col wide:justify-start wide:border-t-0 wide:border-e wide:py-4"
    >
      <Link to="/" className="hidden p-1 wide:mb-5 wide:block" aria-label={t`Gold Shelf, to the shelf`}>
        <img src="/mark.svg" alt="" className="size-[34px]" />
      </Link>
      <Room to="/" label={t`Shelf`} icon={<BookOpen size={18} aria-hidden />} />
      <Room to="/desk" label={t`Desk`} icon={<Inbox size={18} aria-hidden />} count={desk?.total} />
      {session?.role === "curator" && (
        <>
          <Room to="/stocktake" label={t`Stocktake`} icon={<ClipboardList size={18} aria-hidden />} />
          <Room to="/settings" label={t`Settings`} icon={<Settings size={18} aria-hidden />} />
        </>
      )}
      <div className="wide:mt-auto">
        <Account />
      </div>
    </nav>
  );
}

/** Which room an address belongs to: work on an entry is done at the desk. */
function roomOf(pathname: string): string {
  const own = /^\/(settings|stocktake|account)/.exec(pathname);
  if (own) return own[0];
  return /^\/(desk|new)|\/(edit|review)$/.test(pathname) ? "/desk" : "/";
}

function Room({
  to,
  label,
  icon,
  count = 0,
}: {
  to: string;
  label: string;
  icon: ReactNode;
  count?: number;
}) {
  const here = roomOf(useLocation().pathname) === to;
  return (
    <Link
      to={to}
      aria-current={here ? "page" : undefined}
      className={`relative flex w-[68px] flex-col items-center gap-1 rounded-field py-2 text-small hover:bg-wash ${here ? "bg-wash font-semibold text-gold" : "text-faded"}`}
    >
      {icon}
      {label}
      {count > 0 && (
        <span className="absolute top-0.5 end-1.5 rounded-full bg-gold px-1.5 text-[11px] leading-4 font-bold text-on-gold">
          {count}
          <span className="sr-only">
            <Trans>waiting</Trans>
          </span>
        </span>
      )}
    </Link>
  );
}

function Account() {
  const session = useSession().data;
  const signOut = useSignOut();
  const navigate = useNavigate();
  const [theme, setTheme] = useTheme();
  if (!session) return null;
  const initials = session.full_name
    .split(" ")
    .map((w) => w[0])
    .slice(0, 2)
    .join("");
  const item =
    "flex cursor-pointer items-center gap-2 rounded-field px-3 py-2 outline-none data-[highlighted]:bg-wash";
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="flex size-[34px] items-center justify-center rounded-full bg-wash text-small font-bold text-gold">
          <span aria-hidden>{initials}</span>
          <span className="sr-only">
            <Trans>Signed in as {session.full_name}</Trans>
          </span>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            side="top"
            align="start"
            sideOffset={6}
            className="z-30 min-w-56 rounded-card border border-line bg-leaf p-1.5 shadow-lift"
          >
            <DropdownMenu.Label className="px-3 py-2">
              <span className="block font-semibold">{session.full_name}</span>
              <span className="text-small text-faded">{roleWords[session.role]}</span>
            </DropdownMenu.Label>
            <DropdownMenu.Item
              className={item}
              onSelect={() => setTheme(theme === "dark" ? "light" : "dark")}
            >
              {theme === "dark" ? <Sun size={16} aria-hidden /> : <Moon size={16} aria-hidden />}
              {theme === "dark" ? t`By daylight` : t`By lamplight`}
            </DropdownMenu.Item>
            <DropdownMenu.Item className={item} onSelect={() => void navigate({ to: "/account" })}>
              <KeyRound size={16} aria-hidden />
              <Trans>Your account</Trans>
            </DropdownMenu.Item>
            <DropdownMenu.Item
              className={item}
              onSelect={() => {
                const there = session.sign_out; // at the company's provider
                signOut.mutate(undefined, {
                  onSuccess: () =>
                    there ? window.location.assign(there) : void navigate({ to: "/sign-in" }),
                });
              }}
            >
              <LogOut size={16} aria-hidden />
              <Trans>Sign out</Trans>
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </>
  );
}

function TopBar() {
  const session = useSession().data;
  return (
    <header className="flex items-center gap-4 py-4 print:hidden">
      <SearchField />
      {session?.role !== "reader" && (
        <Link
          to="/new"
          className="ms-auto inline-flex items-center gap-2 rounded-field bg-gold px-4 py-2 font-semibold whitespace-nowrap text-on-gold hover:opacity-90"
        >
          <Plus size={16} aria-hidden className="sm:hidden" />
          <span className="max-sm:sr-only">
            <Trans>New entry</Trans>
          </span>
        </Link>
      )}
    </header>
  );
}
