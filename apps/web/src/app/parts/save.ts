/** Hands a file to the browser to be kept. */
export function saveBlob(blob: Blob, name: string): void {
  const a = document.createElement('a');
  a.href = URL.createObjectURL(blob);
  a.download = name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(a.href), 10_000);
}

export const saveText = (text: string, name: string, type: string): void => saveBlob(new Blob([text], { type }), name);

/** The file somebody chose in a field, which is emptied so that the same one can be chosen again. */
export function chosenFile(field: HTMLInputElement): File | undefined {
  const file = field.files?.[0];
  field.value = '';
  return file;
}
