import type { ApiBackground } from '@helk/core/api/background-schemas';
import type { ApiPalette, ApiReport, ApiSheet } from '@helk/core/api/schemas';
import type { Background } from '@helk/core/render/background';
import type { Palette } from '@helk/core/render/palette';
import type { Report } from '@helk/core/report/shape';
import type { MapSheet } from '@helk/core/sheet/shape';
import { papers } from './papers';

export const sheets = papers<ApiSheet>('sheets', 'map sheet', 'sheet.unknown', (body, at) => ({
  sheet: body as MapSheet,
  ...at,
}));

export const reports = papers<ApiReport>('reports', 'report', 'report.unknown', (body, at) => ({
  report: body as Report,
  ...at,
}));

export const palettes = papers<ApiPalette>('palettes', 'palette', 'palette.unknown', (body, at) => ({
  palette: body as Palette,
  ...at,
}));

/** What stands for this very server in the address of a background: it may listen elsewhere tomorrow. */
export const HERE = 'helk:here';

export const backgrounds = papers<ApiBackground>('backgrounds', 'background', 'background.unknown', (body, at) => ({
  background: body as Background,
  ...at,
}));
