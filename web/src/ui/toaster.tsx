import { useEffect } from "react";
import { Toaster as Sonner, toast } from "sonner";
import { onDone } from "./toasts";

/** The one place where finished work is said. */
export function Toaster() {
  useEffect(() => onDone((message, action) => toast(message, { duration: 12_000, ...(action ? { action } : {}) })), []);
  return (
    <Sonner
      position="bottom-left"
      toastOptions={{
        unstyled: true,
        classNames: {
          toast: "flex w-96 items-baseline gap-4 border border-hairline-strong bg-paper px-4 py-2 shadow-lg",
          actionButton: "ml-auto text-accent underline underline-offset-4",
        },
      }}
    />
  );
}
