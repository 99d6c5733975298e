import { provideZonelessChangeDetection } from '@angular/core';
import { bootstrapApplication } from '@angular/platform-browser';
import { App } from './app/app';
import { startDrawing } from './app/draw/drawing';

startDrawing();
bootstrapApplication(App, { providers: [provideZonelessChangeDetection()] }).catch((e: unknown) => console.error(e));
