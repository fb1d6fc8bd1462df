import { useNavigate } from "@tanstack/react-router";
import { toast } from "sonner";
import {
  useEndSession,
  useLinkSignOn,
  useSessions,
  useSignOnLinks,
  useUnlinkSignOn,
  type OpenSession,
} from "../../data/account";
import { useSession, useSignOutEverywhere, useWelcome } from "../../data/hooks";
import { dateWords, timeWords } from "../../data/times";
import { Button, Trouble, Waiting } from "../../parts/basics";
import { ChangePassword } from "../../parts/password";
import { Codes } from "./codes";

/** How one signs in oneself, and where one is signed in. */
export function AccountPage() {
  const session = useSession().data;
  if (!session) return <Waiting />;
  return (
    <div className="mx-auto flex max-w-[760px] flex-col gap-8">
      <header>
        <h1 className="text-title max-sm:text-head">{session.full_name}</h1>
        <p className="text-faded">
          You sign in as {session.name}, and are a {session.role}.
        </p>
      </header>
      <Part title="Password">
        <div className="max-w-[28rem]">
          <ChangePassword />
        </div>
      </Part>
      <Part title="One-time codes">
        <Codes />
      </Part>
      <SignOn />
      <Sessions />
      <Part title="Your data">
        <p className="mb-3 text-faded">
          All that the library has of you: your account, what you wrote and decided, your tries, and what the
          record of changes says you did.
        </p>
        <a
          className="font-semibold text-gold hover:underline"
          href="/api/v1/session/data"
          download={`${session.name}.json`}
        >
          Download
        </a>
      </Part>
    </div>
  );
}

function Part({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section aria-label={title} className="border-t border-line pt-5">
      <h2 className="mb-3 text-head">{title}</h2>
      {children}
    </section>
  );
}

function SignOn() {
  const name = useWelcome().data?.sign_on;
  const links = useSignOnLinks();
  const link = useLinkSignOn();
  const unlink = useUnlinkSignOn();
  if (!name || !links.data) return null;
  return (
    <Part title={name}>
      <Trouble error={links.error ?? link.error ?? unlink.error} />
      <ul className="mb-3 divide-y divide-line border-y border-line empty:hidden">
        {links.data.items.map((l) => (
          <li key={l.issuer + l.subject} className="flex flex-wrap items-center gap-3 py-2">
            <span className="min-w-0 flex-1">
              <span className="block break-all">{l.issuer}</span>
              <span className="text-small text-faded">
                knows you as {l.subject}
                {l.added_at && `, since ${dateWords(l.added_at)}`}
              </span>
            </span>
            <Button
              weight="text"
              onClick={() => unlink.mutate(l, { onSuccess: () => toast.success("Unlinked") })}
            >
              Unlink
            </Button>
          </li>
        ))}
      </ul>
      {links.data.items.length === 0 && (
        <p className="mb-3 text-faded">
          Link your account, and you sign in by {name} as well as by your password.
        </p>
      )}
      <Button disabled={link.isPending} onClick={() => link.mutate()}>
        Link {name}
      </Button>
    </Part>
  );
}

function Sessions() {
  const sessions = useSessions();
  const everywhere = useSignOutEverywhere();
  const navigate = useNavigate();
  if (!sessions.data) return <Trouble error={sessions.error} />;
  return (
    <Part title="Where you are signed in">
      <ul className="mb-4 divide-y divide-line border-y border-line">
        {sessions.data.items.map((s) => (
          <SessionRow key={s.id} s={s} />
        ))}
      </ul>
      <Trouble error={everywhere.error} />
      <Button
        disabled={everywhere.isPending}
        onClick={() => everywhere.mutate(undefined, { onSuccess: () => navigate({ to: "/sign-in" }) })}
      >
        Sign out everywhere
      </Button>
      <p className="mt-2 text-small text-faded">
        Ends every session of yours, in this browser too, and every token of a command or a program.
      </p>
    </Part>
  );
}

function SessionRow({ s }: { s: OpenSession }) {
  const end = useEndSession();
  const what = s.browser ? "A browser" : "A program";
  return (
    <li className="flex flex-wrap items-center gap-3 py-2">
      <span className="min-w-0 flex-1">
        <span className="block">
          <b>{s.current ? "This browser" : what}</b>
          {s.sign_on && " · by sign-on"}
        </span>
        <span className="block text-small break-words text-faded">{s.agent}</span>
      </span>
      <span className="text-small text-faded">
        since {timeWords(s.begun)}
        <span className="block">last used {timeWords(s.used)}</span>
      </span>
      {!s.current && (
        <Button
          weight="text"
          disabled={end.isPending}
          onClick={() => end.mutate(s.id, { onSuccess: () => toast.success("It has ended") })}
        >
          End<span className="sr-only"> the session since {timeWords(s.begun)}</span>
        </Button>
      )}
    </li>
  );
}
