import { Injectable, signal } from '@angular/core';

/** What the glance at examples tells. */
export interface Examples {
  bands: { name: string; unit: string | null; wavelength: number | null }[];
  classes: { label: string; cells: number; mean: number[]; sd: number[] }[];
  pairs: { a: string; b: string; jeffriesMatusita: number }[];
  few: string[];
}

/** What examples that are being drawn look like, for whoever shows spectra. */
@Injectable({ providedIn: 'root' })
export class Training {
  readonly told = signal<{ scene: string; examples: Examples; colours: ReadonlyMap<string, string> } | null>(null);
}
