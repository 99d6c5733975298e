import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { ofKind, ROLE_NAMES, roleOf, roleOfWavelength } from '@helk/core';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** What the bands of a raster are called and show; it belongs to the dataset. */
@Component({
  selector: 'helk-band-roles',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block', 'data-testid': 'band-roles' },
  template: `
    <table class="w-full text-[12.5px]">
      <thead class="text-left text-ink-2">
        <tr>
          <th class="font-[450] w-8">no.</th>
          <th class="font-[450]">Band</th>
          <th class="font-[450] w-[140px]">Part of the spectrum</th>
          <th class="font-[450] w-[110px]">Wavelength, nm</th>
        </tr>
      </thead>
      <tbody>
        @for (b of bands(); track b.no) {
          <tr>
            <td class="num text-ink-2">{{ b.no }}</td>
            <td class="pr-2 py-0.5">
              <input
                class="w-full !min-h-[26px] !py-0"
                [value]="b.name"
                maxlength="200"
                (change)="rename(b.no - 1, $any($event.target))"
                [attr.aria-label]="'Name of band ' + b.no"
              />
            </td>
            <td class="pr-2">
              <select
                class="w-full !min-h-[26px] !py-0"
                (change)="role(b.no - 1, $any($event.target).value)"
                [attr.aria-label]="'Part of the spectrum of band ' + b.no"
              >
                <option value="" [selected]="!b.role">not said</option>
                @for (r of roles; track r) {
                  <option [value]="r" [selected]="r === b.role">{{ r }}</option>
                }
              </select>
            </td>
            <td>
              <input
                class="num w-full !min-h-[26px] !py-0"
                inputmode="decimal"
                [value]="b.wavelength"
                (change)="wavelength(b.no - 1, $any($event.target))"
                [attr.aria-label]="'Wavelength of band ' + b.no + ', nm'"
              />
            </td>
          </tr>
        }
      </tbody>
    </table>
  `,
})
export class BandRoles {
  readonly item = input.required<DatasetItem>();
  private readonly store = inject(ProjectStore);
  protected readonly roles = ROLE_NAMES;
  protected readonly bands = computed(() =>
    (ofKind('raster', this.item().info)?.bands ?? []).map((b, i) => ({
      no: i + 1,
      name: b.name,
      role: roleOf(b) ?? '',
      wavelength: b.wavelength === undefined ? '' : String(b.wavelength),
    })),
  );

  protected rename(band: number, field: HTMLInputElement): void {
    const bandName = field.value.trim();
    if (bandName) void this.store.patchDataset(this.item().id, { band, bandName });
    else field.value = this.bands()[band]!.name;
  }

  protected role(band: number, role: string): void {
    void this.store.patchDataset(this.item().id, { band, role: role || null });
  }

  /** A wavelength says which part it is, where nobody has said otherwise. */
  protected wavelength(band: number, field: HTMLInputElement): void {
    const text = field.value.trim().replace(',', '.');
    const nm = Number(text);
    if (text && !(nm >= 100 && nm <= 1e6)) {
      this.store.notify(`“${field.value}” is no wavelength in nanometres, like 842.`, 'refused');
      field.value = this.bands()[band]!.wavelength;
      return;
    }
    const role = text && !this.bands()[band]!.role ? roleOfWavelength(nm) : null;
    void this.store.patchDataset(this.item().id, {
      band,
      wavelength: text ? nm : null,
      ...(role && { role }),
    });
  }
}
