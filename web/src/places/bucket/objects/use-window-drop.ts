import { useEffect, useRef, useState } from "react";
import { droppedFiles, type PathAndFile } from "./dropped-files";

const hasFiles = (event: DragEvent) => event.dataTransfer?.types.includes("Files") ?? false;

/** Takes files that are dropped anywhere in the window; true while some are held over it. */
export function useWindowDrop(onDrop: (files: PathAndFile[]) => void) {
  const [over, setOver] = useState(false);
  const act = useRef(onDrop);
  act.current = onDrop;
  useEffect(() => {
    const hold = (event: DragEvent) => {
      if (!hasFiles(event)) return;
      event.preventDefault();
      setOver(true);
    };
    const leave = (event: DragEvent) => event.relatedTarget === null && setOver(false);
    const drop = async (event: DragEvent) => {
      setOver(false);
      if (!hasFiles(event) || !event.dataTransfer) return;
      event.preventDefault();
      act.current(await droppedFiles(event.dataTransfer.items));
    };
    const listen = (event: DragEvent) => void drop(event);
    window.addEventListener("dragover", hold);
    window.addEventListener("dragleave", leave);
    window.addEventListener("drop", listen);
    return () => {
      window.removeEventListener("dragover", hold);
      window.removeEventListener("dragleave", leave);
      window.removeEventListener("drop", listen);
    };
  }, []);
  return over;
}
