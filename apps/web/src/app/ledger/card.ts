import { Dialog } from '@angular/cdk/dialog';
import { inject, Injectable } from '@angular/core';

/** Parts of the card that can be asked for. */
export type CardPart = 'name' | 'note' | 'system' | 'checks' | 'save';

/** Opens the card of a dataset, everything about it; and the bin. */
@Injectable({ providedIn: 'root' })
export class Card {
  private readonly dialog = inject(Dialog);

  /** @param at what was asked for, and has the keyboard */
  async open(dataset: string, at: CardPart = 'name'): Promise<void> {
    const { DatasetCard } = await import('./dataset-card');
    this.dialog.open(DatasetCard, {
      data: dataset,
      autoFocus: at === 'system' ? '[data-at=system] input' : `[data-at=${at}]`,
    });
  }

  async bin(): Promise<void> {
    const { BinView } = await import('./bin-view');
    this.dialog.open(BinView);
  }
}
