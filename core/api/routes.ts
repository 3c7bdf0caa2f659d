import { array, type Schema } from 'yup';
import { runFindingsSchema } from '../findings/index.js';
import { savedTuningsSchema, tuningSchema } from '../levers/index.js';
import { sourceFiltersSchema } from '../media/index.js';
import { newRunSchema, runNotesSchema, scrubFactsSchema } from '../playback/index.js';
import { rigSchema } from '../machine/index.js';
import { timelineSchema } from '../timeline/index.js';
import * as replies from './replies.js';
import * as requests from './requests.js';

/** Description of a route. Paths are in OpenAPI's notation. */
export interface RouteDescription {
  readonly method: 'get' | 'post' | 'put' | 'delete';
  readonly path: string;
  readonly summary: string;
  /** Request body: a schema for JSON, or a media type. */
  readonly body?: Schema | string;
  /** Response: a schema for JSON, a media type, or null for an empty one. */
  readonly reply: Schema | string | null;
  readonly status: number;
  readonly query?: readonly string[];
}

const BYTES = 'application/octet-stream';
/** What says which decoded frames are wanted. */
const PLACE_AND_SIZE = ['from', 'until', 'width', 'height'];
const many = (schema: Schema): Schema => array(schema).required();

const get = (
  path: string,
  summary: string,
  reply: Schema | string,
  query: readonly string[] = [],
): RouteDescription => ({
  method: 'get',
  ...{ path, summary, reply, query },
  status: 200,
});

const change = (
  method: 'post' | 'put' | 'delete',
  path: string,
  summary: string,
  status: number,
  reply: RouteDescription['reply'],
  body?: Schema | string,
): RouteDescription => ({ method, path, summary, status, reply, ...(body === undefined ? {} : { body }) });

/** Every route of the server. */
export const ROUTES: readonly RouteDescription[] = [
  get('/api/health', 'Whether the server answers, and for how long it has run', replies.healthReply),
  get('/api/openapi.json', 'This description', replies.anyReply),
  get('/api/events', 'What happens, as server-sent events of one JSON object each', 'text/event-stream'),
  get('/api/projects', 'All projects', many(replies.projectEntryReply)),
  change('post', '/api/projects', 'Makes a project', 201, replies.projectReply, requests.newProjectSchema),
  get('/api/projects/{id}', 'A project with its timeline, tuning and delivery', replies.projectReply),
  get('/api/projects/{id}/revisions', 'The last timelines that were kept', many(replies.revisionReply)),
  get('/api/projects/{id}/revisions/{revision}', 'A timeline that was kept', timelineSchema),
  change(
    'put',
    '/api/projects/{id}',
    'Changes timeline and delivery, based on a revision',
    200,
    replies.projectReply,
    requests.projectChangeSchema,
  ),
  change(
    'put',
    '/api/projects/{id}/name',
    'Renames a project',
    200,
    replies.projectReply,
    requests.projectNameSchema,
  ),
  change('post', '/api/projects/{id}/duplicate', 'Duplicates a project', 201, replies.projectReply),
  change('delete', '/api/projects/{id}', 'Deletes a project with all that Hone made of it', 204, null),
  get('/api/tunings', 'Tunings that were saved under names', savedTuningsSchema),
  change('put', '/api/tunings', 'Saves the tunings under names', 200, savedTuningsSchema, savedTuningsSchema),
  change('put', '/api/projects/{id}/tuning', 'Moves levers', 200, replies.projectReply, tuningSchema),
  change(
    'put',
    '/api/projects/{id}/filters',
    'Keeps the named filters of sources',
    200,
    replies.projectReply,
    sourceFiltersSchema,
  ),
  get('/api/folders', 'The folders that media may be chosen from', replies.folderReply),
  get('/api/folders/{id}', 'What a folder holds', replies.folderReply),
  change(
    'post',
    '/api/folders',
    'Adds a media folder by its path',
    201,
    replies.folderReply,
    requests.mediaFolderSchema,
  ),
  change('delete', '/api/folders/{id}', 'Takes an added media folder away; its files stay', 204, null),
  get('/api/projects/{projectId}/sources', 'The sources of a project', many(replies.sourceReply)),
  change(
    'post',
    '/api/projects/{projectId}/sources',
    'Adds files that a folder listed',
    201,
    many(replies.sourceReply),
    requests.importRequestSchema,
  ),
  change(
    'post',
    '/api/projects/{projectId}/sources/search',
    'Looks for files by name in the media folders and adds them',
    200,
    many(replies.sourceReply),
    requests.mediaSearchSchema,
  ),
  change(
    'post',
    '/api/projects/{projectId}/sources/dropped',
    'Links dropped files where they are found, by size and sampled hash',
    200,
    many(replies.droppedReply),
    requests.droppedFilesSchema,
  ),
  change(
    'post',
    '/api/projects/{projectId}/sources/changes',
    'Puts sources in bins and tags them',
    200,
    many(replies.sourceReply),
    requests.sourceChangeSchema,
  ),
  change(
    'post',
    '/api/projects/{projectId}/sources/retry',
    'Reads sources again that could not be read',
    200,
    many(replies.sourceReply),
    requests.sourceRetrySchema,
  ),
  change(
    'post',
    '/api/projects/{projectId}/sources/removal',
    'Takes sources out of a project; their files stay',
    204,
    null,
    requests.sourceRemovalSchema,
  ),
  {
    ...change('post', '/api/projects/{projectId}/uploads', 'Takes a file', 201, replies.sourceReply, BYTES),
    query: ['name'],
  },
  get('/api/sources/{id}/packets', 'The packet index, as core/media keeps it', BYTES),
  get('/api/sources/{id}/peaks', 'The loudest sample of each hundredth of a second, a byte each', BYTES),
  get('/api/projects/{projectId}/copies', 'The light copies of a project', many(replies.copyReply)),
  change(
    'post',
    '/api/projects/{projectId}/copies/estimate',
    'What light copies would take',
    200,
    many(replies.estimateReply),
    requests.copyRequestSchema,
  ),
  change(
    'post',
    '/api/projects/{projectId}/copies',
    'Asks for light copies',
    202,
    many(replies.copyReply),
    requests.copyRequestSchema,
  ),
  get('/api/copies/room', 'Room for light copies on their drive', replies.roomReply),
  change('delete', '/api/copies/{id}', 'Deletes a light copy', 204, null),
  get('/api/cached-stretches', 'The render cache', many(replies.cachedStretchReply)),
  change(
    'post',
    '/api/projects/{projectId}/cached-stretches',
    'Renders a part of the timeline into the render cache',
    202,
    replies.jobReply,
    requests.renderRequestSchema,
  ),
  get(
    '/api/render-cache/settings',
    'Size limit and folder of the render cache',
    replies.renderCacheSettingsReply,
  ),
  change(
    'put',
    '/api/render-cache/settings',
    'Sets the room of the render cache',
    200,
    replies.renderCacheSettingsReply,
    requests.renderCacheChangeSchema,
  ),
  change(
    'post',
    '/api/cached-stretches/removal',
    'Deletes cached stretches',
    204,
    null,
    requests.cachedStretchRemovalSchema,
  ),
  get('/api/projects/{projectId}/jobs', 'Background work, the newest first', many(replies.jobReply)),
  change('post', '/api/jobs/{id}/cancel', 'Cancels background work', 200, replies.jobReply),
  get('/api/projects/{projectId}/runs', 'Runs, the newest first', many(replies.runReply)),
  get('/api/sampling', 'How busy the cores are while a run is sampled', replies.sampleReply),
  change('post', '/api/sampling', 'Begins to look at the machine, for the run that follows', 204, null),
  change('post', '/api/projects/{projectId}/runs', 'Keeps a run', 201, replies.runReply, newRunSchema),
  get('/api/runs/{id}/log', 'The frame log of a run: rows of 32-bit floats', BYTES),
  get(
    '/api/runs/{id}/samples',
    'Processor load, memory and storage reads sampled during a run',
    replies.samplesReply,
  ),
  get('/api/runs/{id}/report.csv', 'A run as comma-separated values', 'text/csv'),
  get('/api/runs/{id}/report.json', 'A run with its frames and samples', replies.runReportReply),
  change('put', '/api/runs/{id}/notes', 'Notes on a run', 200, replies.runReply, runNotesSchema),
  change('put', '/api/runs/{id}/findings', 'Findings of a run', 200, replies.runReply, runFindingsSchema),
  change('delete', '/api/runs/{id}', 'Deletes a run', 204, null),
  get(
    '/api/projects/{projectId}/scrubs',
    'How scrubbing answered, the newest first',
    many(replies.scrubReply),
  ),
  change(
    'post',
    '/api/projects/{projectId}/scrubs',
    'Keeps how scrubbing answered',
    201,
    replies.scrubReply,
    scrubFactsSchema,
  ),
  get('/api/projects/{projectId}/exports', 'Exports, the newest first', many(replies.exportReply)),
  change(
    'post',
    '/api/projects/{projectId}/exports/estimate',
    'Predicts the size of an export by making pieces of it',
    200,
    replies.exportEstimateReply,
  ),
  change('post', '/api/projects/{projectId}/exports', 'Asks for an export', 202, replies.exportReply),
  get('/api/tables', 'The colour tables that are kept', many(replies.tableReply)),
  change('post', '/api/tables', 'Keeps a colour table (.cube)', 201, replies.tableReply, 'text/plain'),
  get('/api/simulation', 'The simulated drive that media come through', replies.simulationReply),
  change(
    'put',
    '/api/simulation',
    'Chooses a simulated drive, or the real ones',
    200,
    replies.simulationReply,
    requests.simulationSchema,
  ),
  get('/api/rigs', 'The rig measured here, and those that were loaded', replies.rigsReply),
  change('put', '/api/rigs/own', 'Keeps the rig measured here', 200, rigSchema, rigSchema),
  change('post', '/api/rigs', 'Loads a rig', 201, rigSchema, rigSchema),
  change('delete', '/api/rigs/{id}', 'Forgets a rig that was loaded', 204, null),
  get('/api/machine', 'The machine now', replies.machineReply),
  get('/api/machine/settings', 'What Hone may take of the machine', replies.settingsReply),
  change(
    'put',
    '/api/machine/settings',
    'Sets the memory ceiling, or what ffmpeg works by',
    200,
    replies.settingsReply,
    requests.machineChangeSchema,
  ),
  get('/api/measurements/drives', 'The drives that hold media, copies or exports', replies.drivesReply),
  change(
    'post',
    '/api/measurements/drives',
    'Measures one of them',
    200,
    replies.anyReply,
    requests.drivesToMeasureSchema,
  ),
  change(
    'post',
    '/api/measurements/processor',
    'Measures what one core and all cores decode',
    200,
    replies.figuresReply,
    requests.measureSchema,
  ),
  change(
    'post',
    '/api/measurements/server-decoders',
    'Measures the server’s decoder on the project’s sources',
    200,
    replies.anyListReply,
    requests.measureSchema,
  ),
  change(
    'post',
    '/api/measurements/hardware-paths',
    'Tries the hardware paths of ffmpeg',
    200,
    replies.anyListReply,
    requests.measureSchema,
  ),
  change(
    'post',
    '/api/measurements/cache-formats',
    'Tries the codings of cached stretches',
    200,
    replies.anyReply,
    requests.measureSchema,
  ),
  change(
    'delete',
    '/api/measurements/cache-formats',
    'Deletes the files that they were tried with',
    204,
    null,
  ),
  change('post', '/api/measurements/hold', 'Holds background work for three seconds', 204, null),
  get('/api/measurements/load', 'How busy the machine is now', replies.loadReply),
  get('/media/sources/{id}', 'A source’s file, with ranges', BYTES),
  get('/media/copies/{id}', 'A light copy’s file, with ranges', BYTES),
  get('/media/stretches/{id}', 'The file of a cached stretch, with ranges', BYTES),
  get('/media/tried-formats/{id}', 'A file that a coding of cached stretches was tried with', BYTES),
  get('/media/sounds/{id}', 'The prepared sound of a source, with ranges', BYTES),
  get('/media/strips/{id}', 'The filmstrip of a source', 'image/jpeg'),
  get('/media/exports/{id}', 'An export’s file, with ranges', BYTES, ['download']),
  get('/media/export-strips/{id}', 'Twelve pictures from an export in a row', 'image/jpeg'),
  get('/media/tables/{id}', 'A colour table (.cube)', 'text/plain'),
  get('/media/fonts/{name}', 'A file of the typeface of titles', 'font/woff'),
  get('/media/frames/{id}', 'Decoded frames of a source, each after its header', BYTES, PLACE_AND_SIZE),
  get(
    '/media/stretch-frames/{id}',
    'Decoded frames of a cached stretch, each after its header',
    BYTES,
    PLACE_AND_SIZE,
  ),
];
