/** Hands a file to the browser to be kept. */
export function saveBlob(blob: Blob, name: string): void {
  const a = document.createElement('a');
  a.href = URL.createObjectURL(blob);
  a.download = name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(a.href), 10_000);
}

export const saveText = (text: string, name: string, type: string): void => saveBlob(new Blob([text], { type }), name);
