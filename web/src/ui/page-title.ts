import { useEffect } from "react";

/** The document's title while this page is shown. */
export function usePageTitle(title: string) {
  useEffect(() => {
    document.title = `${title} – Ripen`;
  }, [title]);
}
