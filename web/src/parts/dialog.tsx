import { t } from "@lingui/core/macro";
import { X } from "lucide-react";
import { Dialog as Radix } from "radix-ui";
import type { ReactNode } from "react";

/** A page above the page. */
export function Dialog({
  open,
  onOpen,
  title,
  wide,
  children,
}: {
  open: boolean;
  onOpen: (open: boolean) => void;
  title: string;
  wide?: boolean;
  children: ReactNode;
}) {
  return (
    <Radix.Root open={open} onOpenChange={onOpen}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-20 bg-[rgb(25_23_20/0.45)]" />
        <Radix.Content
          aria-describedby={undefined}
          className={`fixed top-1/2 start-1/2 z-30 max-h-[90vh] ${wide ? "w-[min(94vw,1040px)]" : "w-[min(92vw,560px)]"} -translate-x-1/2 -translate-y-1/2 overflow-auto rounded-card border border-line bg-paper p-6 shadow-lift`}
        >
          <div className="mb-4 flex items-start justify-between gap-4">
            <Radix.Title className="text-head">{title}</Radix.Title>
            <Radix.Close className="rounded-field p-1 text-faded hover:bg-wash" aria-label={t`Close`}>
              <X size={18} aria-hidden />
            </Radix.Close>
          </div>
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
