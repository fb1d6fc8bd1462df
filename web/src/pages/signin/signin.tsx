import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { Refused } from "../../data/api";
import { useSignIn, useWelcome } from "../../data/hooks";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";

export function SignIn() {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const signIn = useSignIn();
  const navigate = useNavigate();
  const { name: library, sign_on: signOn } = useWelcome().data ?? {};
  const asksForCode = signIn.error instanceof Refused && signIn.error.details.type === "/problems/code";
  const enter = (who: { name: string; password: string; code?: string }) =>
    signIn.mutate(who, { onSuccess: () => navigate({ to: "/" }) });
  return (
    <main className="mx-auto flex min-h-screen max-w-[460px] flex-col justify-center gap-6 px-4 py-10">
      <div className="border-b-[3px] border-gilt pb-5">
        <img src="/mark.svg" alt="" className="mb-4 size-12" />
        <h1 className="text-title">
          <Trans>Gold Shelf</Trans>
          {library && <span className="text-faded"> · {library}</span>}
        </h1>
        <p className="text-faded">
          <Trans>What we say to AI models, written once and kept well.</Trans>
        </p>
      </div>
      <form
        className="flex flex-col gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          enter({ name, password, code: code || undefined });
        }}
      >
        {asksForCode && !signIn.variables?.code ? (
          <p role="status">
            <Trans>Your password is right. Now the code that your phone shows, or a spare one.</Trans>
          </p>
        ) : (
          <Trouble error={signIn.error} />
        )}
        <Field id="name" label={t`Name`}>
          <input
            id="name"
            required
            autoComplete="username"
            autoCapitalize="none"
            className={fieldLook}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        </Field>
        <Field id="password" label={t`Password`}>
          <input
            id="password"
            required
            type="password"
            autoComplete="current-password"
            className={fieldLook}
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
        </Field>
        {(asksForCode || code) && (
          <Field id="code" label={t`One-time code`}>
            <input
              id="code"
              required
              autoFocus
              autoComplete="one-time-code"
              className={fieldLook}
              value={code}
              onChange={(e) => setCode(e.target.value)}
            />
          </Field>
        )}
        <Button type="submit" weight="main" disabled={signIn.isPending}>
          <Trans>Sign in</Trans>
        </Button>
      </form>
      {signOn && (
        <a
          href="/sign-on"
          className="-mt-2 rounded-field border border-line bg-leaf px-4 py-2 text-center font-semibold hover:bg-wash"
        >
          <Trans>Sign in by {signOn}</Trans>
        </a>
      )}
      <DemoAccounts busy={signIn.isPending} enter={enter} />
    </main>
  );
}

/** The demo's accounts, one a role: a click signs in. */
function DemoAccounts({
  busy,
  enter,
}: {
  busy: boolean;
  enter: (who: { name: string; password: string }) => void;
}) {
  const welcome = useWelcome().data;
  if (!welcome?.demo) return null;
  return (
    <section aria-labelledby="demo" className="flex flex-col gap-2">
      <h2 id="demo" className="text-lead">
        <Trans>The demo’s people</Trans>
      </h2>
      <p className="text-small text-faded">
        <Trans>
          Larkfen Water is made up, and so are they. Each has the password{" "}
          <code className="font-mono">{welcome.password}</code>.
        </Trans>
      </p>
      <ul className="grid gap-2 sm:grid-cols-2">
        {welcome.accounts?.map((p) => (
          <li key={p.name}>
            <button
              type="button"
              disabled={busy}
              className="w-full rounded-card border border-line bg-leaf px-3 py-2 text-start hover:bg-wash"
              onClick={() => enter({ name: p.name, password: welcome.password ?? "" })}
            >
              <span className="block font-semibold">{p.full_name}</span>
              <span className="text-small text-faded">
                <Trans>signs in as {p.name}</Trans>
              </span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
