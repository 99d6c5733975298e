/** What neither XML nor HTML may hold. */
// eslint-disable-next-line no-control-regex -- control characters are what is looked for
const CONTROL = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f]/g;
const NAMED: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' };

/** Text for XML and HTML, which never becomes markup. */
export const escaped = (text: string): string => text.replace(CONTROL, '').replace(/[&<>"']/g, (c) => NAMED[c]!);
