import { useNotice } from "./notice";

/** Puts a text where it can be pasted from, and says so; a browser that does not allow it is told of. */
export function useCopy(): (text: string) => Promise<void> {
  const notice = useNotice();
  return async (text) => {
    try {
      await navigator.clipboard.writeText(text);
      notice.done("Copied.");
    } catch {
      notice.refused("The browser does not let us copy. Mark the text and copy it yourself.");
    }
  };
}
