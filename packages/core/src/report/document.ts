/** A written document as a list of blocks, from top to bottom: what its HTML, its pages and its plain text are made of. */
export interface Document {
  title: string;
  /** Under the title: who, when, of what. */
  lines: string[];
  blocks: Block[];
  /** Files that go with it. */
  attached: Attached[];
  /** What it was made with, at the foot of every page. */
  foot: string;
}

export interface Attached {
  name: string;
  type: string;
  about: string;
  text: string;
}

export type Block =
  | { kind: 'heading'; level: 2 | 3; text: string; /** Before it, as a number of a step. */ mark?: string }
  /** Paragraphs, apart by an empty line. `voice` is what somebody says. */
  | { kind: 'text'; text: string; voice?: boolean; quiet?: boolean }
  | { kind: 'list'; items: string[]; numbered?: boolean }
  /** Names with what is so of them. */
  | { kind: 'facts'; title: string; rows: Fact[] }
  | { kind: 'table'; caption: string; head: { text: string; numbers?: boolean }[]; rows: string[][] }
  | { kind: 'checks'; items: { level: 'fine' | 'look' | 'refused'; text: string }[] }
  /** Something that was seen. */
  | { kind: 'figure'; drawing: string | null; title: string; note: string; caution: string }
  /** What is typed as it stands. */
  | { kind: 'code'; text: string }
  /** Where a file that goes with it is offered. */
  | { kind: 'attached'; name: string; text: string };

export interface Fact {
  name: string;
  value: string;
  /** What else is to be known of it. */
  more?: string;
}

/** What a check says by its level, for those who see no colours. */
export const CHECK_WORDS = { fine: 'Fine', look: 'Look here', refused: 'Refused' } as const;

/** Paragraphs of a text. */
export const paragraphs = (text: string): string[] =>
  text
    .split(/\n\s*\n/)
    .map((p) => p.trim())
    .filter(Boolean);
