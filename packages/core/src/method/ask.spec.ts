import { setupNode } from '../../../node/src/index';
import { FeaturesBuilder } from '../data/features';
import { numberColumn } from '../data/table';
import { rasterOf, run, utm27 } from '../testing';
import { ask } from './ask';
import { methods } from './registry';
import { infoOf } from '../data/kinds';

beforeAll(setupNode);

/** What every question typed as it stands comes to. */
const ASKED = methods().map((m) => [m.question, m.id] as const);

const answers = (q: string): string[] => ask(q, methods()).map((a) => a.method.id);

/** What analysts type, and the method that they mean. */
const QUESTIONS: [string, string][] = [
  ['how steep is it?', 'terrain.slope'],
  ['slope', 'terrain.slope'],
  ['raster.mosaic', 'raster.mosaic'],
  ['sink', 'terrain.fill'],
  ['which way does it face', 'terrain.aspect'],
  ['warp', 'raster.reproject'],
  ['where does the water go', 'terrain.flowDirection'],
  ['where does water', 'terrain.flowDirection'],
  ['flow accumulation', 'terrain.flowAccumulation'],
  ['viewshed', 'terrain.visibility'],
  ['what can I see from here', 'terrain.visibility'],
  ['merge tiles into one grid', 'raster.mosaic'],
  ['stitch tiles', 'raster.mosaic'],
  ['fill holes', 'raster.fillGaps'],
  ['missing cells inside the data', 'raster.gaps'],
  ['contour lines', 'raster.contours'],
  ['elevation profile along a trail', 'raster.profile'],
  ['reclassify', 'raster.recode'],
  ['small polygons', 'features.absorbSmall'],
  ['small areas join a neighbour', 'features.absorbSmall'],
  ['minimum mapping unit', 'features.absorbSmall'],
  ['dissolve polygons', 'features.dissolve'],
  ['land cover change between two years', 'features.changeMatrix'],
  ['what became what', 'features.changeMatrix'],
  ['intersect two layers', 'features.overlay'],
  ['points in polygons count', 'features.count'],
  ['hexagons', 'features.cells'],
  ['select by attribute', 'features.subset'],
  ['rows of a csv to points', 'features.fromTable'],
  ['new column', 'features.calculate'],
  ['spatial join', 'features.joinByPlace'],
  ['join a table by key', 'features.join'],
  ['distance around shelters', 'features.buffer'],
  ['fix invalid polygons', 'features.repair'],
  ['voronoi', 'surface.thiessen'],
  ['idw', 'surface.idw'],
  ['inverse distance weighting', 'surface.idw'],
  ['krigging', 'surface.kriging'],
  ['semivariogram', 'surface.variogram'],
  ['which interpolation is most trustworthy', 'surface.validate'],
  ['leave one out cross validation', 'surface.validate'],
  ['mean per area', 'raster.zonal'],
  ['zonal statistics', 'raster.zonal'],
  ['values at points', 'raster.sample'],
  ['raster to polygons', 'raster.toPolygons'],
  ['rasterise polygons', 'raster.fromFeatures'],
  ['raster calculator', 'raster.formula'],
  ['difference of two grids', 'raster.difference'],
  ['depth to negative elevation', 'raster.rescale'],
  ['coarser resolution', 'raster.resample'],
  ['catchment of the gauge', 'terrain.watersheds'],
  ['rivers', 'terrain.streams'],
  ['do mapped and derived streams agree', 'terrain.streamAgreement'],
  ['ridge or hollow', 'terrain.position'],
  ['how rough is the terrain', 'terrain.ruggedness'],
  ['where is it wet', 'terrain.wetness'],
  ['shaded relief', 'terrain.hillshade'],
  ['majority filter', 'raster.smooth'],
  ['combine bands into one scene', 'imagery.stack'],
  ['ndvi', 'imagery.index'],
  ['principal components', 'imagery.components'],
  ['k-means', 'imagery.cluster'],
  ['unsupervised classification', 'imagery.cluster'],
  ['can classes be told apart', 'imagery.separability'],
  ['random forest', 'imagery.classify'],
  ['supervised classification', 'imagery.classify'],
  ['where to check the map', 'imagery.samplePlaces'],
  ['confusion matrix', 'imagery.accuracy'],
  ['kappa', 'imagery.accuracy'],
  ['hectares of each class', 'imagery.classAreas'],
  ['remove specks', 'imagery.sieve'],
  ['too small', 'features.absorbSmall'],
  ['correlation matrix', 'stats.correlate'],
  ['summary of columns', 'stats.describe'],
  ['spatial weights', 'stats.weights'],
  ['moran', 'stats.moran'],
  ['hot spots', 'stats.localG'],
  ['lisa', 'stats.localMoran'],
  ['is it clustered', 'stats.moran'],
  ['empirical bayes', 'stats.smoothRate'],
  ['ordinary least squares', 'stats.regression'],
  ['which model is to be trusted', 'stats.compareModels'],
  ['chow test', 'stats.stability'],
  ['travel time by bus', 'network.reach'],
  ['how far is everything from everything', 'network.matrix'],
  ['what became what cell by cell', 'raster.changeMatrix'],
  ['how did the temperature change over the years', 'time.trend'],
  ['bring the months together', 'time.stackRasters'],
];

describe('the ask box', () => {
  for (const [question, id] of QUESTIONS)
    it(`answers “${question}” with ${id}`, () => expect(answers(question)[0]).toBe(id));

  it('answers every question as it stands, and its beginning, with its own method first', () => {
    for (const [question, id] of ASKED) {
      // Methods that ask the same are told apart by what is selected.
      if (ASKED.filter(([q]) => q.slice(0, -3) === question.slice(0, -3)).length > 1) continue;
      expect(answers(question)[0]).withContext(question).toBe(id);
      expect(answers(question.slice(0, -3)))
        .withContext(question)
        .toContain(id);
    }
  });

  it('forgives slips and endings, and says nothing to what is no question', () => {
    expect(answers('hilshade')[0]).toBe('terrain.hillshade');
    expect(answers('dissolving')[0]).toBe('features.dissolve');
    expect(answers('slo')[0]).toBe('terrain.slope');
    expect(answers('qwertz')).toEqual([]);
    expect(answers('the of it')).toEqual([]);
  });

  it('drops what only happens to hold a word', () => {
    expect(answers('slope').length).toBeLessThan(8);
  });

  it('puts what fits the selection first, and lists everything when nothing is typed', async () => {
    const table = infoOf((await run('raster.statistics', { raster: rasterOf(1, [1]) })).outputs[0]!.data);
    const fitting = (d: Parameters<typeof ask>[2]): string[] =>
      ask('', methods(), d)
        .filter((a) => a.fits)
        .map((a) => a.method.id);
    expect(fitting([table]).sort()).toEqual([
      'features.fromTable',
      'features.join',
      'stats.correlate',
      'stats.describe',
      'time.stack',
    ]);
    expect(fitting([infoOf(rasterOf(1, [1]))]).length).toBeGreaterThan(8);
    expect(ask(' ', methods()).length).toBe(methods().length);
    const b = new FeaturesBuilder();
    b.point(400000, 6460000);
    const points = infoOf(b.build('point', utm27(), [numberColumn('v', [1])]));
    const merged = ask('merge', methods(), [points]);
    expect(merged[0]!.fits).toBeTrue();
    expect(merged.findIndex((a) => !a.fits)).toBeGreaterThan(0);
  });
});
