import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState, type ReactNode } from "react";
import { Toaster } from "sonner";
import { useSession } from "../../data/hooks";
import { useSetup } from "../../data/library";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { LabelsForm } from "../settings/labels";
import { LibraryForm } from "../settings/library";
import { ImportPeople } from "../settings/passwordlinks";

const steps = [t`You`, t`The library`, t`Departments and labels`, t`People`];

/** The first visit: from an empty service to a library that others can be let into. */
export function Setup() {
  const session = useSession().data;
  const [step, setStep] = useState(session ? 1 : 0);
  const navigate = useNavigate();
  const next = () => setStep(step + 1);
  return (
    <main className="mx-auto flex min-h-screen max-w-[760px] flex-col gap-6 px-4 py-12">
      <div className="border-b-[3px] border-gilt pb-5">
        <img src="/mark.svg" alt="" className="mb-4 size-12" />
        <h1 className="text-title">
          <Trans>A new library</Trans>
        </h1>
        <ol className="mt-2 flex flex-wrap gap-x-5 text-small" aria-label={t`Steps`}>
          {steps.map((name, i) => (
            <li
              key={name}
              aria-current={i === step ? "step" : undefined}
              className={i === step ? "font-semibold text-gold" : "text-faded"}
            >
              {i + 1}. {name}
            </li>
          ))}
        </ol>
      </div>
      {step === 0 && <FirstCurator done={next} />}
      {step === 1 && (
        <Step title={t`What is it called?`}>
          <LibraryForm beginning done={next} />
        </Step>
      )}
      {step === 2 && (
        <Step title={t`Which departments, and which other labels?`} next={next}>
          <LabelsForm />
        </Step>
      )}
      {step === 3 && (
        <Step
          title={t`Who comes in?`}
          note={t`You can add people one by one under Settings as well.`}
          next={() => void navigate({ to: "/stocktake/import" })}
          nextName={t`Bring your prompts in`}
          beside={
            <Link to="/new" className="font-semibold text-gold hover:underline">
              <Trans>Write a first entry</Trans>
            </Link>
          }
        >
          <ImportPeople />
        </Step>
      )}
      <Toaster
        containerAriaLabel={t`Notifications`}
        position="bottom-right"
        toastOptions={{ className: "!bg-leaf !text-ink !border-line" }}
      />
    </main>
  );
}

interface StepOf {
  title: string;
  note?: string;
  next?: () => void;
  nextName?: string;
  beside?: ReactNode;
  children: ReactNode;
}

function Step({ title, note, next, nextName = t`Continue`, beside, children }: StepOf) {
  return (
    <section aria-label={title}>
      <h2 className="mb-3 text-head">{title}</h2>
      {note && <p className="mb-3 text-faded">{note}</p>}
      {children}
      {next && (
        <div className="mt-7 flex flex-wrap items-center gap-5">
          <Button weight="main" onClick={next}>
            {nextName}
          </Button>
          {beside}
        </div>
      )}
    </section>
  );
}

function FirstCurator({ done }: { done: () => void }) {
  const [who, setWho] = useState({ code: "", full_name: "", name: "", password: "" });
  const setup = useSetup();
  const set = (field: keyof typeof who) => (e: { target: { value: string } }) =>
    setWho({ ...who, [field]: e.target.value });
  return (
    <form
      className="flex max-w-[560px] flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        setup.mutate({ ...who, role: "curator" }, { onSuccess: done });
      }}
    >
      <Trouble error={setup.error} title={t`Nobody was made a curator`} />
      <Field
        id="code"
        label={t`Code`}
        hint={t`It stands in the terminal in which the service was started, for an hour.`}
      >
        <input
          id="code"
          required
          autoComplete="off"
          className={`${fieldLook} font-mono`}
          value={who.code}
          onChange={set("code")}
        />
      </Field>
      <Field id="full-name" label={t`Your name`}>
        <input
          id="full-name"
          required
          autoComplete="name"
          className={fieldLook}
          value={who.full_name}
          onChange={set("full_name")}
        />
      </Field>
      <Field
        id="name"
        label={t`Name to sign in with`}
        hint={t`Lower-case letters, digits, dots and hyphens.`}
      >
        <input
          id="name"
          required
          autoComplete="username"
          autoCapitalize="none"
          className={fieldLook}
          value={who.name}
          onChange={set("name")}
        />
      </Field>
      <Field id="password" label={t`Password`} hint={t`At least 12 characters.`}>
        <input
          id="password"
          required
          type="password"
          autoComplete="new-password"
          className={fieldLook}
          value={who.password}
          onChange={set("password")}
        />
      </Field>
      <Button type="submit" weight="main" className="self-start" disabled={setup.isPending}>
        <Trans>Become the first curator</Trans>
      </Button>
    </form>
  );
}
