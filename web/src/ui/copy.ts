import { done } from "./toasts";

/** Puts a text into the clipboard and says so. */
export async function copy(text: string) {
  try {
    await navigator.clipboard.writeText(text);
    done("Copied.");
  } catch {
    done("This browser does not let it be copied: select the text and copy it by key.");
  }
}
