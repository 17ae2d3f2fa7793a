import { Dialog as Radix } from "radix-ui";
import type { ReactNode } from "react";

/** A dialog over the page; Escape and the outside close it, focus returns to where it was. */
export function Dialog({
  open,
  onClose,
  title,
  children,
}: {
  open: boolean;
  onClose: () => void;
  title: string;
  children: ReactNode;
}) {
  return (
    <Radix.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 bg-ink/30" />
        <Radix.Content
          aria-describedby={undefined}
          className="fixed top-[16%] left-1/2 w-[34rem] max-w-[94vw] -translate-x-1/2 border border-hairline-strong bg-paper p-6 shadow-lg"
        >
          <Radix.Title className="mb-3 text-xl">{title}</Radix.Title>
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
