import express, { type Express } from 'express';
import type { Context } from './context';
import { guard } from './guard';
import { notFound, problems } from './problem';
import { backgroundRoutes } from './routes/backgrounds';
import { binRoutes } from './routes/bin';
import { catalogueRoutes } from './routes/catalogue';
import { datasetRoutes } from './routes/datasets';
import { exportRoutes } from './routes/exports';
import { projectRoutes } from './routes/projects';
import { recipeRoutes } from './routes/recipes';
import { sheetRoutes } from './routes/sheets';
import { reviewRoutes } from './routes/reviews';
import { runRoutes } from './routes/runs';
import { portalRoutes } from './portal/routes';
import { sampleRoutes } from './routes/samples';
import { serviceRoutes } from './routes/services';
import { storedRoutes } from './routes/stored';

export function makeApp(context: Context): Express {
  const app = express();
  app.disable('x-powered-by');
  // The guard looks at paths: /API must not be another way to /api.
  app.enable('case sensitive routing');
  app.use(guard(context.config));
  catalogueRoutes(app);
  sampleRoutes(app, context);
  projectRoutes(app, context);
  datasetRoutes(app, context);
  binRoutes(app, context);
  storedRoutes(app, context);
  exportRoutes(app, context);
  reviewRoutes(app, context);
  runRoutes(app, context);
  recipeRoutes(app, context);
  sheetRoutes(app, context);
  serviceRoutes(app, context);
  backgroundRoutes(app, context);
  portalRoutes(app, context);
  const { webDir } = context.config;
  if (webDir) {
    app.use(
      express.static(webDir, {
        index: 'index.html',
        setHeaders: (res, path) =>
          res.setHeader(
            'Cache-Control',
            /-[A-Z0-9]{8}\.\w+$/.test(path) ? 'public, max-age=31536000, immutable' : 'no-cache',
          ),
      }),
    );
    app.get(/^\/(p\/[a-z0-9]+(\/[a-z0-9]+)?\/?)?$/, (_req, res) => res.sendFile('index.html', { root: webDir }));
  }
  app.use(notFound);
  app.use(problems);
  return app;
}
