// The core's kernels once more where they also run: in a browser.
import '../../../../packages/core/src/methods/terrain/gradient.spec';
import '../../../../packages/core/src/methods/terrain/fill.spec';
import '../../../../packages/core/src/render/render.spec';
