import * as z from 'zod';
import { Id } from '../api/refs';
import { HelkError } from '../errors';

const Words = z.string().max(20_000).default('');

/** What a report is of, and what somebody says in it; all else it takes from the project when it is made. */
export const ReportShape = z.object({
  format: z.literal('helk-report'),
  version: z.literal(1),
  title: z.string().trim().min(1, 'A title is needed.').max(300),
  /** Who answers for it. */
  by: z.string().trim().max(300).default(''),
  /** What was asked, and what the answer is, in words of whoever answers for it. */
  asked: Words,
  answer: Words,
  /** Datasets whose making is told. */
  results: z.array(Id).max(500),
  /** What was seen, in this order. */
  findings: z.array(Id).max(500).default([]),
  /** Whether every setting is told, or those that say something. */
  settings: z.enum(['all', 'telling']).default('telling'),
});

export type Report = z.infer<typeof ReportShape>;

/**
 * A report from what a file or a request holds.
 *
 * @throws HelkError `report.invalid` with what is wrong and where
 */
export function reportFrom(raw: unknown): Report {
  const r = ReportShape.safeParse(raw);
  if (r.success) return r.data;
  const { path, message } = r.error.issues[0]!;
  throw new HelkError('report.invalid', `The report cannot be used: ${path.join('.') || 'it'}: ${message}`, 'report');
}
