import { Dialog } from '@angular/cdk/dialog';
import { inject, Injectable } from '@angular/core';
import { firstValueFrom } from 'rxjs';
import type { ApiPalette } from '@helk/core/api/schemas';
import type { PaletteAsked } from './palette-editor';

/** Opens the editor of palettes. */
@Injectable({ providedIn: 'root' })
export class PaletteDialog {
  private readonly dialog = inject(Dialog);

  /** The palette that was kept; undefined where it was left. */
  async open(asked: PaletteAsked): Promise<ApiPalette | undefined> {
    const { PaletteEditor } = await import('./palette-editor');
    return firstValueFrom(this.dialog.open<ApiPalette, PaletteAsked>(PaletteEditor, { data: asked }).closed);
  }
}
