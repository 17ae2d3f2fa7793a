/** Gives a file to the browser to be saved; it is made here and sent nowhere. */
export function saveFile(name: string, content: unknown) {
  const address = URL.createObjectURL(new Blob([`${JSON.stringify(content, null, 2)}\n`], { type: "application/json" }));
  const link = document.createElement("a");
  link.href = address;
  link.download = name;
  link.click();
  URL.revokeObjectURL(address);
}
