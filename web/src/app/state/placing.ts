import type { Project, Source } from '@hone/core/api';
import { placeable, shownSize } from '@hone/core/media';
import { appendSource, timelineLength, type Placeable, type Timeline } from '@hone/core/timeline';
import type { Action } from '@ngrx/store';
import { pixels, rateText } from '../formatting/quantities';
import { ProjectActions } from './actions';

const newId = (): string => crypto.randomUUID();

/**
 * The actions that put sources on the timeline of a project. The first picture on an empty timeline gives it its frame
 * size and rate, unless the project has its own.
 * @param sources that are read
 * @throws RangeError when a source is shorter than one frame
 */
export function placing(
  project: Project,
  sources: readonly Source[],
  change: (timeline: Timeline, sources: readonly Placeable[]) => Timeline = append,
): Action[] {
  const isFirst = project.takesFirstShape && timelineLength(project.timeline) === 0;
  const shape = isFirst ? firstShape(sources) : null;
  const timeline = change({ ...project.timeline, ...shape }, placeables(sources));
  const edited = ProjectActions.timelineEdited({ timeline });
  if (!shape) return [edited];
  const message = `Frame size and rate were taken from the first clip: ${pixels(shape.size)}, ${rateText(shape.rate)}.`;
  return [
    edited,
    ProjectActions.deliveryEdited({ delivery: { ...project.delivery, size: shape.size } }),
    ProjectActions.told({ message }),
  ];
}

/** What a timeline needs to know of sources, as far as they are read. */
export const placeables = (sources: readonly Source[]): Placeable[] =>
  sources.flatMap(({ id, name, facts }) => (facts ? [placeable(id, name, facts)] : []));

/** Behind everything that is on the timeline. */
export const append = (timeline: Timeline, sources: readonly Placeable[]): Timeline =>
  sources.reduce((line, source) => appendSource(line, source, newId), timeline);

/** Frame size and rate of the first picture, for a timeline that has none of its own yet. */
function firstShape(sources: readonly Source[]): Pick<Timeline, 'size' | 'rate'> | null {
  const picture = sources.find(({ facts }) => facts?.picture)?.facts?.picture;
  if (!picture) return null;
  const even = (side: number): number => side + (side % 2);
  const { width, height } = shownSize(picture);
  return { size: { width: even(width), height: even(height) }, rate: picture.rate };
}
