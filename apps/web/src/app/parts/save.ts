/** Hands a file to the browser to be kept. */
export function saveBlob(blob: Blob, name: string): void {
  const a = document.createElement('a');
  a.href = URL.createObjectURL(blob);
  a.download = name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(a.href), 10_000);
}

/** A drawn picture as a file. */
export const pngOf = (canvas: HTMLCanvasElement): Promise<Blob> =>
  new Promise((done, failed) =>
    canvas.toBlob((b) => (b ? done(b) : failed(new Error('The picture could not be made.'))), 'image/png'),
  );

/** Puts a picture into the clipboard. @throws Error where the browser does not let it */
export async function copyPicture(blob: Blob): Promise<void> {
  try {
    await navigator.clipboard.write([new ClipboardItem({ 'image/png': blob })]);
  } catch {
    throw new Error('The browser does not let pictures be copied here; save it to a file.');
  }
}

/** Puts a table into the clipboard, in several ways of writing at once. @throws Error where the browser does not let it */
export async function copyTable(as: Record<string, string>): Promise<void> {
  const items = Object.fromEntries(Object.entries(as).map(([type, text]) => [type, new Blob([text], { type })]));
  try {
    await navigator.clipboard.write([new ClipboardItem(items)]);
  } catch {
    throw new Error('The browser does not let tables be copied here.');
  }
}

export const saveText = (text: string, name: string, type: string): void => saveBlob(new Blob([text], { type }), name);

/** What a file of JSON holds. @throws Error in a sentence that says what was wanted */
export async function jsonIn(file: File, noun: string): Promise<unknown> {
  try {
    return JSON.parse(await file.text()) as unknown;
  } catch {
    throw new Error(`“${file.name}” is no ${noun}: it is not JSON.`);
  }
}

/** The file somebody chose in a field, which is emptied so that the same one can be chosen again. */
export function chosenFile(field: HTMLInputElement): File | undefined {
  const file = field.files?.[0];
  field.value = '';
  return file;
}
