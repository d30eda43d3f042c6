/** Hands a file to the browser to be kept. @param name with its ending; characters that file names cannot have become _ */
export function saveFile(blob: Blob, name: string): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(blob);
  link.download = name.replaceAll(/[\\/:*?"<>|]/g, '_');
  link.click();
  // The browser takes its time to read it.
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
}
