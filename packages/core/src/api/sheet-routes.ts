import * as z from 'zod';
import type { RouteSpec } from './routes';
import { FindingBody, FindingEntry, FindingOrder, NewSheet, PictureEntry, SheetEntry } from './sheet-schemas';

/** Routes of findings, map sheets and their pictures. */
export const SHEET_ROUTES = {
  findings: {
    verb: 'get',
    path: '/api/projects/:project/findings',
    summary: 'Findings of a project, in their order',
    status: 200,
    response: z.array(FindingEntry),
  },
  createFinding: {
    verb: 'post',
    path: '/api/projects/:project/findings',
    summary: 'Keep something that was seen',
    body: FindingBody,
    status: 201,
    response: FindingEntry,
  },
  saveFinding: {
    verb: 'put',
    path: '/api/projects/:project/findings/:finding',
    summary: 'Change a finding',
    body: FindingBody,
    status: 200,
    response: FindingEntry,
  },
  orderFindings: {
    verb: 'put',
    path: '/api/projects/:project/findings',
    summary: 'Put findings into an order; those not named come after the others',
    body: FindingOrder,
    status: 200,
    response: z.array(FindingEntry),
  },
  deleteFinding: {
    verb: 'delete',
    path: '/api/projects/:project/findings/:finding',
    summary: 'Remove a finding; it can be brought back',
    status: 204,
  },
  restoreFinding: {
    verb: 'post',
    path: '/api/projects/:project/findings/:finding/restore',
    summary: 'Bring back a removed finding',
    status: 200,
    response: FindingEntry,
  },
  sheets: {
    verb: 'get',
    path: '/api/projects/:project/sheets',
    summary: 'Map sheets of a project',
    status: 200,
    response: z.array(SheetEntry),
  },
  createSheet: {
    verb: 'post',
    path: '/api/projects/:project/sheets',
    summary: 'A map sheet, as from a file; refused with the reason where its parts do not fit together',
    body: NewSheet,
    status: 201,
    response: SheetEntry,
  },
  saveSheet: {
    verb: 'put',
    path: '/api/projects/:project/sheets/:sheet',
    summary: 'Change a map sheet',
    body: NewSheet,
    status: 200,
    response: SheetEntry,
  },
  deleteSheet: {
    verb: 'delete',
    path: '/api/projects/:project/sheets/:sheet',
    summary: 'Remove a map sheet; it can be brought back',
    status: 204,
  },
  restoreSheet: {
    verb: 'post',
    path: '/api/projects/:project/sheets/:sheet/restore',
    summary: 'Bring back a removed map sheet',
    status: 200,
    response: SheetEntry,
  },
  addPicture: {
    verb: 'post',
    path: '/api/projects/:project/pictures',
    summary: 'Take in a picture for findings and sheets: PNG, JPEG or a drawing of Helk, 16 MB at most',
    body: 'bytes',
    status: 201,
    response: PictureEntry,
  },
  picture: {
    verb: 'get',
    path: '/api/projects/:project/pictures/:picture',
    summary: 'A picture of the project',
    status: 200,
    response: 'bytes',
  },
} as const satisfies Record<string, RouteSpec>;
