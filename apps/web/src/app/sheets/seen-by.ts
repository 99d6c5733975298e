import { ChangeDetectionStrategy, Component } from '@angular/core';

/** How others see a sheet: eyes that lack one kind of cones, and a printer without colours. */
export const SEEN_BY = [
  { id: 'all', label: 'as it is' },
  { id: 'protan', label: 'without red cones' },
  { id: 'deutan', label: 'without green cones' },
  { id: 'tritan', label: 'without blue cones' },
  { id: 'grey', label: 'in grey' },
] as const;

/**
 * What is seen by eyes without one kind of cones, as filters of the page: Machado, Oliveira and Fernandes 2009 (doi:10.1109/TVCG.2009.113),
 * table 1, severity 1.0, in linear RGB.
 */
@Component({
  selector: 'helk-seen-by',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<svg width="0" height="0" class="absolute" aria-hidden="true">
    <filter id="seen-protan" color-interpolation-filters="linearRGB">
      <feColorMatrix
        values="0.152286 1.052583 -0.204868 0 0 0.114503 0.786281 0.099216 0 0 -0.003882 -0.048116 1.051998 0 0 0 0 0 1 0"
      />
    </filter>
    <filter id="seen-deutan" color-interpolation-filters="linearRGB">
      <feColorMatrix
        values="0.367322 0.860646 -0.227968 0 0 0.280085 0.672501 0.047413 0 0 -0.011820 0.042940 0.968881 0 0 0 0 0 1 0"
      />
    </filter>
    <filter id="seen-tritan" color-interpolation-filters="linearRGB">
      <feColorMatrix
        values="1.255528 -0.076749 -0.178779 0 0 -0.078411 0.930809 0.147602 0 0 0.004733 0.691367 0.303900 0 0 0 0 0 1 0"
      />
    </filter>
    <filter id="seen-grey" color-interpolation-filters="sRGB">
      <feColorMatrix type="saturate" values="0" />
    </filter>
  </svg>`,
})
export class SeenBy {}
