import { CdkMenu, CdkMenuItem, CdkMenuTrigger } from '@angular/cdk/menu';
import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import { Copier, type Copies } from '../state/copies';

/** Copies the same work as a command, as an HTTP call, or as code for the client package. */
@Component({
  selector: 'helk-copy-menu',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CdkMenu, CdkMenuItem, CdkMenuTrigger],
  template: `
    <button [class]="plain() ? 'link' : 'btn'" [cdkMenuTriggerFor]="menu" data-testid="copy-as">Copy as …</button>
    <ng-template #menu>
      <div cdkMenu class="popover py-1 w-[180px] text-[13px]">
        @for (w of ways; track w.key) {
          <button cdkMenuItem class="menu-row" (cdkMenuItemTriggered)="copier.copy(of()[w.key])">{{ w.label }}</button>
        }
      </div>
    </ng-template>
  `,
})
export class CopyMenu {
  readonly of = input.required<Copies>();
  readonly plain = input(false);
  protected readonly copier = inject(Copier);
  protected readonly ways: readonly { key: keyof Copies; label: string }[] = [
    { key: 'command', label: 'Command' },
    { key: 'call', label: 'HTTP call' },
    { key: 'code', label: 'Code for a script' },
  ];
}
