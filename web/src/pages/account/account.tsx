import { roleWords } from "../../data/words";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
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
import { languages, speakLanguage, type Language as LanguageName } from "../../languages/languages";
import { useChangePerson } from "../../data/people";
import { useSession, useSignOutEverywhere, useWelcome } from "../../data/hooks";
import { dateWords, timeWords } from "../../data/times";
import { Button, fieldLook, Trouble, Waiting } from "../../parts/basics";
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
          <Trans>
            You sign in as {session.name}, and are a {roleWords[session.role]}.
          </Trans>
        </p>
      </header>
      <Part title={t`Password`}>
        <div className="max-w-[28rem]">
          <ChangePassword />
        </div>
      </Part>
      <Part title={t`One-time codes`}>
        <Codes />
      </Part>
      <Part title={t`Language`}>
        <Language chosen={session.language ?? ""} name={session.name} />
      </Part>
      <SignOn />
      <Sessions />
      <Part title={t`Your data`}>
        <p className="mb-3 text-faded">
          <Trans>
            All that the library has of you: your account, what you wrote and decided, your tries, and what
            the record of changes says you did.
          </Trans>
        </p>
        <a
          className="font-semibold text-gold hover:underline"
          href="/api/v1/session/data"
          download={`${session.name}.json`}
        >
          <Trans>Download</Trans>
        </a>
      </Part>
    </div>
  );
}

function Language({ chosen, name }: { chosen: string; name: string }) {
  const change = useChangePerson();
  return (
    <>
      <Trouble error={change.error} title={t`Nothing was changed`} />
      <select
        aria-label={t`Language`}
        className={`${fieldLook} max-w-[28rem]`}
        value={chosen}
        disabled={change.isPending}
        onChange={(e) => {
          const language = e.target.value as LanguageName | "";
          change.mutate(
            { name, body: { language } },
            { onSuccess: () => speakLanguage(language || undefined) },
          );
        }}
      >
        <option value="">{t`As the browser has it`}</option>
        {Object.entries(languages).map(([code, { name }]) => (
          <option key={code} value={code} lang={code} translate="no">
            {name}
          </option>
        ))}
      </select>
      <p className="mt-2 text-small text-faded">
        <Trans>Of the console, and of what you are told. What entries say is theirs.</Trans>
      </p>
    </>
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
                <Trans>knows you as {l.subject}</Trans>
                {l.added_at && t`, since ${dateWords(l.added_at)}`}
              </span>
            </span>
            <Button
              weight="text"
              onClick={() => unlink.mutate(l, { onSuccess: () => toast.success(t`Unlinked`) })}
            >
              <Trans>Unlink</Trans>
            </Button>
          </li>
        ))}
      </ul>
      {links.data.items.length === 0 && (
        <p className="mb-3 text-faded">
          <Trans>Link your account, and you sign in by {name} as well as by your password.</Trans>
        </p>
      )}
      <Button disabled={link.isPending} onClick={() => link.mutate()}>
        <Trans>Link {name}</Trans>
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
    <Part title={t`Where you are signed in`}>
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
        <Trans>Sign out everywhere</Trans>
      </Button>
      <p className="mt-2 text-small text-faded">
        <Trans>
          Ends every session of yours, in this browser too, and every token of a command or a program.
        </Trans>
      </p>
    </Part>
  );
}

function SessionRow({ s }: { s: OpenSession }) {
  const end = useEndSession();
  const what = s.browser ? t`A browser` : t`A program`;
  return (
    <li className="flex flex-wrap items-center gap-3 py-2">
      <span className="min-w-40 flex-1">
        <span className="block">
          <b>{s.current ? t`This browser` : what}</b>
          {s.sign_on && t` · by sign-on`}
        </span>
        <span className="block text-small break-words text-faded">{s.agent}</span>
      </span>
      <span className="text-small text-faded">
        <Trans>since {timeWords(s.begun)}</Trans>
        <span className="block">
          <Trans>last used {timeWords(s.used)}</Trans>
        </span>
      </span>
      {!s.current && (
        <Button
          weight="text"
          disabled={end.isPending}
          onClick={() => end.mutate(s.id, { onSuccess: () => toast.success(t`It has ended`) })}
        >
          <Trans>End</Trans>
          <span className="sr-only">
            <Trans>the session since {timeWords(s.begun)}</Trans>
          </span>
        </Button>
      )}
    </li>
  );
}
