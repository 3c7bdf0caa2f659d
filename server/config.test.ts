import { describe, expect, it } from 'vitest';
import { configFrom } from './config.js';

describe('the surroundings', () => {
  it('have defaults', () => {
    expect(configFrom({}, '/hone')).toMatchObject({
      port: 4310,
      dataFolder: '/hone/.hone',
      ffmpeg: 'ffmpeg',
      extraOrigin: undefined,
    });
  });

  it('can be set', () => {
    const config = configFrom(
      { PORT: '5000', HONE_DATA: '/data', HONE_MEDIA: '/a:/b', HONE_FFMPEG: '/opt/ffmpeg' },
      '/hone',
    );
    expect(config).toMatchObject({ port: 5000, dataFolder: '/data', ffmpeg: '/opt/ffmpeg' });
    expect(config.mediaFolders).toEqual(['/data/media', '/a', '/b']);
  });

  it('are refused when they make no sense', () => {
    expect(() => configFrom({ PORT: 'http' }, '/hone')).toThrow(/PORT must be a number/);
  });
});
