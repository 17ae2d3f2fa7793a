import { Dialog as Radix } from "radix-ui";
import type { ReactNode } from "react";

/** A dialog over the page; Escape and the outside close it, focus returns to where it was. */
export function Dialog({
  open,
  onClose,
  title,
  wide = false,
  children,
}: {
  open: boolean;
  wide?: boolean;
  onClose: () => void;
  title: string;
  children: ReactNode;
}) {
  return (
    <Radix.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-30 bg-ink/30" />
        <Radix.Content
          aria-describedby={undefined}
          className={`fixed left-1/2 z-30 max-h-[86vh] max-w-[94vw] -translate-x-1/2 overflow-y-auto border border-hairline-strong bg-paper p-6 shadow-lg ${wide ? "top-[7%] w-[64rem]" : "top-[12%] w-[38rem]"}`}
        >
          <Radix.Title className="mb-3 text-xl break-words">{title}</Radix.Title>
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
