import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { useSetPassword } from "../../data/library";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";

/** Where a curator's link leads: one sets the password that one signs in with. */
export function SetPassword() {
  const [code] = useState(() => window.location.hash.slice(1));
  const [password, setPassword] = useState("");
  const set = useSetPassword();
  return (
    <main className="mx-auto flex min-h-screen max-w-[460px] flex-col justify-center gap-6 px-4 py-10">
      <div className="border-b-[3px] border-gilt pb-5">
        <img src="/mark.svg" alt="" className="mb-4 size-12" />
        <h1 className="text-title">
          <Trans>Set your password</Trans>
        </h1>
        <p className="text-faded">
          <Trans>The link works once. After it you sign in with your name and this password.</Trans>
        </p>
      </div>
      {set.isSuccess ? (
        <p role="status">
          <Trans>
            It is set.{" "}
            <Link to="/sign-in" className="font-semibold text-gold hover:underline">
              Sign in
            </Link>
          </Trans>
        </p>
      ) : (
        <form
          className="flex flex-col gap-4"
          onSubmit={(e) => {
            e.preventDefault();
            set.mutate({ code, password });
          }}
        >
          <Trouble error={set.error} title={t`It is not set`} />
          {!code && (
            <Trouble error={t`This address has no code in it: use the whole link that you were given.`} />
          )}
          <Field id="password" label={t`Password`} hint={t`At least 12 characters.`}>
            <input
              id="password"
              required
              type="password"
              autoComplete="new-password"
              className={fieldLook}
              value={password}
              onChange={(e) => setPassword(e.target.value)}
            />
          </Field>
          <Button type="submit" weight="main" disabled={set.isPending || !code}>
            <Trans>Set password</Trans>
          </Button>
        </form>
      )}
    </main>
  );
}
