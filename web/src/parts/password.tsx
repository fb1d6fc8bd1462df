import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { useChangePassword } from "../data/hooks";
import { Button, Field, fieldLook, Trouble } from "./basics";

/** Changes one's own password. */
export function ChangePassword() {
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
              setOld("");
              setFresh("");
              toast.success(t`Changed. You are signed in here, and nowhere else`);
            },
          },
        );
      }}
    >
      <Trouble error={change.error} title={t`It stays as it was`} />
      <Field id="old-password" label={t`Old password`}>
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
      <Field id="new-password" label={t`New password`} hint={t`At least 12 characters.`}>
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
        <Trans>Change password</Trans>
      </Button>
    </form>
  );
}
