import { provideZonelessChangeDetection } from '@angular/core';
import { bootstrapApplication } from '@angular/platform-browser';
import { App } from './app/app';

// As browsers have it; first.ts took it away while the scripts were read.
Error.stackTraceLimit = 10;

bootstrapApplication(App, { providers: [provideZonelessChangeDetection()] }).catch((e: unknown) => console.error(e));
