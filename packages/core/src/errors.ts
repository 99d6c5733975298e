/**
 * The one catalogue of errors. Every refusal carries a code from here, a sentence a colleague would have written,
 * and, where it helps, the place (file, band, parameter) it is about.
 */
export const ERRORS = {
  'file.empty': { status: 422, exit: 2, meaning: 'The file holds no bytes.' },
  'file.unknown': { status: 422, exit: 2, meaning: 'The content is of no format that Helk reads.' },
  'file.damaged': { status: 422, exit: 2, meaning: 'The file begins like its format but cannot be read to the end.' },
  'file.unsupported': { status: 422, exit: 2, meaning: 'The format is known, this variant of it is not read.' },
  'file.tooLarge': { status: 413, exit: 2, meaning: 'The file or what it unpacks to is over the limit.' },
  'file.endless': { status: 422, exit: 2, meaning: 'Reading the file takes longer than one of its size may.' },
  'file.content': { status: 422, exit: 2, meaning: 'The file can be read but its content makes no dataset.' },
  'file.missing': { status: 404, exit: 2, meaning: 'There is no such file.' },
  'crs.unknown': { status: 422, exit: 2, meaning: 'The coordinate reference system is not known or not usable.' },
  'crs.missing': { status: 422, exit: 2, meaning: 'The data carry no coordinate reference system and one is needed.' },
  'crs.outside': { status: 422, exit: 2, meaning: 'The place cannot be expressed in the coordinate reference system.' },
  'method.unknown': { status: 404, exit: 2, meaning: 'There is no method of that id.' },
  'method.input': {
    status: 422,
    exit: 2,
    meaning: 'An input is missing, of the wrong kind, or does not fit the others.',
  },
  'method.parameter': { status: 422, exit: 2, meaning: 'A parameter is missing, misspelt or out of range.' },
  'method.refused': { status: 422, exit: 2, meaning: 'A check before the run says it cannot give a right result.' },
  'method.memory': { status: 422, exit: 2, meaning: 'The run would need more memory than there is.' },
  'method.geometry': { status: 422, exit: 2, meaning: 'A geometry is such that the operation on it fails.' },
  'run.cancelled': { status: 409, exit: 1, meaning: 'The run was cancelled.' },
  'run.failed': { status: 500, exit: 1, meaning: 'The run ended unexpectedly.' },
  'run.interrupted': { status: 409, exit: 1, meaning: 'The server stopped while the run was under way.' },
  'recipe.invalid': { status: 422, exit: 2, meaning: 'The recipe cannot be read, or cannot run as it is written.' },
  'recipe.unknown': { status: 404, exit: 2, meaning: 'There is no such recipe.' },
  'table.invalid': { status: 422, exit: 2, meaning: 'The run table cannot be read, or does not fit what it runs.' },
  'table.unknown': { status: 404, exit: 2, meaning: 'There is no such run table.' },
  'table.rows': { status: 422, exit: 1, meaning: 'Some rows of a run table failed; the others are done.' },
  'sheet.invalid': { status: 422, exit: 2, meaning: 'The map sheet cannot be read, or its parts do not fit together.' },
  'background.unknown': { status: 404, exit: 2, meaning: 'There is no such background.' },
  'palette.unknown': { status: 404, exit: 2, meaning: 'There is no such palette.' },
  'report.invalid': { status: 422, exit: 2, meaning: 'The report cannot be read.' },
  'report.unknown': { status: 404, exit: 2, meaning: 'There is no such report.' },
  'sheet.unknown': { status: 404, exit: 2, meaning: 'There is no such map sheet.' },
  'finding.unknown': { status: 404, exit: 2, meaning: 'There is no such finding.' },
  'picture.invalid': { status: 422, exit: 2, meaning: 'The picture cannot be read, or is too large.' },
  'picture.unknown': { status: 404, exit: 2, meaning: 'There is no such picture.' },
  'request.invalid': { status: 400, exit: 2, meaning: 'The request does not have the shape it should have.' },
  'request.forbidden': { status: 403, exit: 2, meaning: 'The request comes from a place that may not ask.' },
  'project.unknown': { status: 404, exit: 2, meaning: 'There is no such project.' },
  'project.invalid': { status: 422, exit: 2, meaning: 'The file is not a Helk project or was made by a newer Helk.' },
  'dataset.unknown': { status: 404, exit: 2, meaning: 'There is no such dataset.' },
  'dataset.inUse': { status: 409, exit: 2, meaning: 'The dataset is being used by a run.' },
  'export.unsupported': { status: 422, exit: 2, meaning: 'The dataset cannot be written in that format.' },
  'service.address': { status: 422, exit: 2, meaning: 'The address is not one that can be asked.' },
  'service.unreachable': { status: 502, exit: 2, meaning: 'Nothing answers at the address.' },
  'service.slow': { status: 504, exit: 2, meaning: 'The service did not answer in time.' },
  'service.refused': { status: 502, exit: 2, meaning: 'The service answered with an error of its own.' },
  'service.invalid': { status: 502, exit: 2, meaning: 'What the service sent is not what it should have sent.' },
  'service.elsewhere': { status: 502, exit: 2, meaning: 'The service points to a place that nobody asked for.' },
  'store.full': { status: 507, exit: 1, meaning: 'There is no room left on the disk.' },
} as const;

export type ErrorCode = keyof typeof ERRORS;

/** An expected refusal: `message` is meant for people, `path` names the parameter, input, band or file it is about. */
export class HelkError extends Error {
  readonly status: number;
  readonly exitCode: number;
  constructor(
    readonly code: ErrorCode,
    message: string,
    readonly path: string | null = null,
  ) {
    super(message);
    this.name = 'HelkError';
    this.status = ERRORS[code].status;
    this.exitCode = ERRORS[code].exit;
  }
}

/** The plain form an error takes between threads, in problem documents and in a run's record. */
export interface Problem {
  code: ErrorCode;
  message: string;
  path: string | null;
}

/** Any thrown value as a problem; what Helk did not expect keeps its message but never its stack. */
export function toProblem(thrown: unknown, fallback: ErrorCode = 'run.failed'): Problem {
  if (thrown instanceof HelkError) return { code: thrown.code, message: thrown.message, path: thrown.path };
  const e = thrown as { message?: unknown; code?: unknown; name?: unknown } | null;
  if (e && e.name === 'HelkError' && typeof e.code === 'string' && Object.hasOwn(ERRORS, e.code)) {
    return {
      code: e.code as ErrorCode,
      message: String(e.message),
      path: ((e as { path?: string }).path ?? null) as string | null,
    };
  }
  const message = e && typeof e.message === 'string' ? e.message : String(thrown);
  if (/SQLITE_FULL|ENOSPC|disk is full/i.test(message + String(e?.code ?? ''))) {
    return { code: 'store.full', message: 'There is no room left on the disk; nothing was changed.', path: null };
  }
  if (/Array buffer allocation failed|Invalid typed array length|out of memory/i.test(message)) {
    return { code: 'method.memory', message: 'There was not enough memory for this; nothing was changed.', path: null };
  }
  return { code: fallback, message, path: null };
}

export function fromProblem(p: Problem): HelkError {
  return new HelkError(p.code, p.message, p.path);
}
