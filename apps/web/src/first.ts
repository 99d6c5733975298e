import { askEarly } from './app/api/early';
import { drawingWorker } from './app/draw/start-drawing';

// Before the scripts of the workbench are read: what it asks for in any case, and the first worker that draws, come meanwhile.

// The schema library tries whether functions may be made of text, unless it is told; our content security policy says no, and reports every try.
(globalThis as { __zod_globalConfig?: { jitless: boolean } }).__zod_globalConfig = { jitless: true };

// An error that is made while scripts are read (a package keeps one ready) has the browser read them all again, to know its place: a fifth of a
// second. main.ts sets the limit back.
Error.stackTraceLimit = 0;

askEarly();
drawingWorker(0);
