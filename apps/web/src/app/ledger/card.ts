import { Dialog } from '@angular/cdk/dialog';
import { inject, Injectable } from '@angular/core';

/** Opens the card of a dataset: everything about it. */
@Injectable({ providedIn: 'root' })
export class Card {
  private readonly dialog = inject(Dialog);

  async open(dataset: string): Promise<void> {
    const { DatasetCard } = await import('./dataset-card');
    this.dialog.open(DatasetCard, { data: dataset });
  }
}
