import type { ClientKind } from './kind';
import { rowWords } from './rows';

/** Rows without places: read in the evidence, or in a pane of its own. */
export const table: ClientKind<'table', object> = {
  kind: 'table',
  goes: 'evidence',
  swipes: false,
  look: () => ({}),
  colour: () => null,
  recoloured: (look) => look,
  alike: () => false,
  thumbnail(canvas) {
    const g = canvas.getContext('2d')!;
    g.clearRect(0, 0, canvas.width, canvas.height);
    g.fillStyle = '#8a8678';
    for (let y = 10; y < 50; y += 10)
      for (let x = 8; x < 70; x += 22) g.fillRect(x, y, y === 10 ? 16 : 12, y === 10 ? 4 : 2);
    return Promise.resolve();
  },
  told: rowWords,
};
