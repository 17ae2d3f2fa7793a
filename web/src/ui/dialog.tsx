import { Dialog as Radix } from "radix-ui";
import type { ReactNode } from "react";

type DialogProps = {
  open: boolean;
  wide?: boolean;
  /** What it shows is shown once: it stays until its own button closes it. */
  holdsSecret?: boolean;
  onClose: () => void;
  title: string;
  children: ReactNode;
};

/** A dialog over the page; Escape, the outside and its cross close it, and focus returns to where it was. */
export function Dialog({ open, onClose, title, wide = false, holdsSecret = false, children }: DialogProps) {
  const hold = (event: Event) => holdsSecret && event.preventDefault();
  return (
    <Radix.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-30 bg-ink/30" />
        <Radix.Content
          aria-describedby={undefined}
          onEscapeKeyDown={hold}
          onPointerDownOutside={hold}
          onInteractOutside={hold}
          className={`fixed left-1/2 z-30 max-h-[86vh] max-w-[94vw] -translate-x-1/2 overflow-y-auto border border-hairline-strong bg-paper p-6 shadow-lg ${wide ? "top-[7%] w-[64rem]" : "top-[12%] w-[38rem]"}`}
        >
          <Radix.Title className="mb-3 pr-10 text-xl break-words">{title}</Radix.Title>
          {children}
          {/* Last, so that the first field has the focus. */}
          {!holdsSecret && (
            <Radix.Close
              aria-label="Close"
              className="absolute top-5 right-5 size-7 text-xl leading-none text-ink-soft hover:text-ink"
            >
              ×
            </Radix.Close>
          )}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
