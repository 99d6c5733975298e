/** Of Helk, as reports and lineage name it. */
export const VERSION = '0.1.0';
