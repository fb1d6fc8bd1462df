import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { toast } from "sonner";
import { useChangePassword, useSignOutEverywhere } from "../data/hooks";
import { Button, Field, fieldLook, Trouble } from "./basics";
import { Dialog } from "./dialog";

/** One's own password, and the end of every session. */
export function PasswordDialog({ open, onOpen }: { open: boolean; onOpen: (open: boolean) => void }) {
  return (
    <Dialog open={open} onOpen={onOpen} title="Your password">
      <ChangePassword done={() => onOpen(false)} />
      <Everywhere />
    </Dialog>
  );
}

function ChangePassword({ done }: { done: () => void }) {
  const [old, setOld] = useState("");
  const [fresh, setFresh] = useState("");
  const change = useChangePassword();
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate(
          { old, new: fresh },
          {
            onSuccess: () => {
              done();
              toast.success("Changed. You are signed in here, and nowhere else");
            },
          },
        );
      }}
    >
      <Trouble error={change.error} title="It stays as it was" />
      <Field id="old-password" label="Old password">
        <input
          id="old-password"
          type="password"
          autoComplete="current-password"
          required
          className={fieldLook}
          value={old}
          onChange={(e) => setOld(e.target.value)}
        />
      </Field>
      <Field id="new-password" label="New password" hint="At least 12 characters.">
        <input
          id="new-password"
          type="password"
          autoComplete="new-password"
          required
          minLength={12}
          className={fieldLook}
          value={fresh}
          onChange={(e) => setFresh(e.target.value)}
        />
      </Field>
      <Button type="submit" weight="main" disabled={change.isPending}>
        Change password
      </Button>
    </form>
  );
}

function Everywhere() {
  const signOut = useSignOutEverywhere();
  const navigate = useNavigate();
  return (
    <div className="mt-5 border-t border-line pt-4">
      <p className="mb-3 text-small text-faded">
        Ends every session of yours, in this browser too, and every token of a command or an application.
      </p>
      <Trouble error={signOut.error} />
      <Button
        disabled={signOut.isPending}
        onClick={() => signOut.mutate(undefined, { onSuccess: () => navigate({ to: "/sign-in" }) })}
      >
        Sign out everywhere
      </Button>
    </div>
  );
}
