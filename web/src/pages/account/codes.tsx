import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { useBeginCodes, useCodes, useConfirmCodes, useDropCodes } from "../../data/account";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";

/** One-time codes beside one's password. */
export function Codes() {
  const codes = useCodes();
  const [changing, setChanging] = useState(false);
  const [spare, setSpare] = useState<string[]>();
  if (!codes.data) return <Trouble error={codes.error} />;
  if (spare) return <Spare codes={spare} done={() => setSpare(undefined)} />;
  if (!codes.data.possible)
    return (
      <p className="text-faded">
        <Trans>
          This service cannot keep what codes are made of: whoever runs it gives it a key, by
          --secret-key-file.
        </Trans>
      </p>
    );
  if (changing)
    return codes.data.on ? (
      <TurnOff done={() => setChanging(false)} />
    ) : (
      <TurnOn
        done={(all) => {
          setChanging(false);
          setSpare(all);
        }}
      />
    );
  return (
    <div className="flex flex-col gap-3">
      <p className="text-faded">
        {codes.data.on
          ? t`On: you sign in with your password and a code. ${codes.data.spare} spare codes are left.`
          : t`A code of six digits from your phone, beside your password: who learns the password alone does not come in.`}
      </p>
      <Button className="self-start" onClick={() => setChanging(true)}>
        {codes.data.on ? t`Turn codes off` : t`Turn codes on`}
      </Button>
    </div>
  );
}

function PasswordAgain({ value, set }: { value: string; set: (text: string) => void }) {
  return (
    <Field id="password-again" label={t`Your password, again`}>
      <input
        id="password-again"
        type="password"
        autoComplete="current-password"
        required
        className={fieldLook}
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </Field>
  );
}

function TurnOn({ done }: { done: (spare: string[]) => void }) {
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const begin = useBeginCodes();
  const confirm = useConfirmCodes();
  if (!begin.data)
    return (
      <form
        className="flex max-w-[28rem] flex-col gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          begin.mutate(password);
        }}
      >
        <Trouble error={begin.error} />
        <PasswordAgain value={password} set={setPassword} />
        <Button type="submit" weight="main" className="self-start" disabled={begin.isPending}>
          <Trans>Go on</Trans>
        </Button>
      </form>
    );
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        confirm.mutate(code, { onSuccess: (all) => done(all.spare) });
      }}
    >
      <p>
        <Trans>
          Have the program on your phone that shows codes read this, or type in{" "}
          <code className="font-mono text-small break-all">{begin.data.secret}</code>
        </Trans>
      </p>
      <img
        src={begin.data.picture}
        alt={t`The same as a QR code`}
        className="size-[220px] border border-line"
      />
      <Field id="code" label={t`The code that it shows`}>
        <input
          id="code"
          inputMode="numeric"
          autoComplete="one-time-code"
          required
          className={`${fieldLook} max-w-40`}
          value={code}
          onChange={(e) => setCode(e.target.value)}
        />
      </Field>
      <Trouble error={confirm.error} />
      <Button type="submit" weight="main" className="self-start" disabled={confirm.isPending}>
        <Trans>Turn codes on</Trans>
      </Button>
    </form>
  );
}

function Spare({ codes, done }: { codes: string[]; done: () => void }) {
  return (
    <section aria-label={t`Spare codes`} className="flex flex-col gap-3">
      <p>
        <Trans>
          <b>Keep these where you find them without your phone. They are shown this once.</b> Each is good
          once, in the place of a code.
        </Trans>
      </p>
      <ul className="grid max-w-80 grid-cols-2 gap-x-6 rounded-card border border-line bg-leaf px-4 py-3 font-mono">
        {codes.map((c) => (
          <li key={c}>{c}</li>
        ))}
      </ul>
      <Button className="self-start" onClick={done}>
        <Trans>I have kept them</Trans>
      </Button>
    </section>
  );
}

function TurnOff({ done }: { done: () => void }) {
  const [password, setPassword] = useState("");
  const drop = useDropCodes();
  return (
    <form
      className="flex max-w-[28rem] flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        drop.mutate(password, {
          onSuccess: () => {
            toast.success(t`Codes are off`);
            done();
          },
        });
      }}
    >
      <Trouble error={drop.error} />
      <PasswordAgain value={password} set={setPassword} />
      <span className="flex gap-3">
        <Button type="submit" weight="main" disabled={drop.isPending}>
          <Trans>Turn codes off</Trans>
        </Button>
        <Button type="button" onClick={done}>
          <Trans>Cancel</Trans>
        </Button>
      </span>
    </form>
  );
}
