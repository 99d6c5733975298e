import type { ErrorRequestHandler, RequestHandler } from 'express';
import { ERRORS, toProblem, type ErrorCode } from '@helk/core';
import type { ApiProblem } from '@helk/core/api/schemas';

function problemDocument(code: ErrorCode, detail: string, path: string | null): ApiProblem {
  return {
    type: `urn:helk:problem:${code}`,
    title: ERRORS[code].meaning,
    status: ERRORS[code].status,
    detail,
    code,
    path,
  };
}

/** Every error as a problem document (RFC 9457); what was not expected keeps its details to the server's own log. */
export const problems: ErrorRequestHandler = (e: unknown, _req, res, _next) => {
  if (res.headersSent) {
    res.destroy();
    return;
  }
  const express = e as { type?: string; status?: number };
  let body: ApiProblem;
  if (express.type === 'entity.too.large')
    body = problemDocument('file.tooLarge', 'The request is larger than the server accepts.', null);
  else if (express.type?.startsWith('entity.') || express.type === 'encoding.unsupported' || e instanceof URIError)
    body = problemDocument('request.invalid', 'The request cannot be read.', null);
  else {
    const p = toProblem(e);
    if (p.code === 'run.failed' && /database connection is not open|Unable to acquire a connection/.test(p.message))
      body = problemDocument('project.unknown', 'The project was deleted or closed meanwhile.', 'project');
    else if (p.code === 'run.failed') {
      process.stderr.write(`${e instanceof Error ? (e.stack ?? e.message) : String(e)}\n`);
      body = problemDocument('run.failed', 'Something went wrong in the server; its log says what.', null);
    } else body = problemDocument(p.code, p.message, p.path);
  }
  res.status(body.status).type('application/problem+json').send(JSON.stringify(body));
};

export const notFound: RequestHandler = (req, res) => {
  const body: ApiProblem = {
    type: 'about:blank',
    title: 'Not found',
    status: 404,
    detail: `There is nothing at ${req.path.slice(0, 200)}.`,
    code: 'request.invalid',
    path: null,
  };
  res.status(404).type('application/problem+json').send(JSON.stringify(body));
};
