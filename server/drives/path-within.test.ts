import { describe, expect, it } from 'vitest';
import { isWithin } from './path-within.js';

describe('a path in a folder', () => {
  it.each([
    ['/media/card 1/a.mp4', '/media/card 1', true],
    ['/media/card 1', '/media/card 1', true],
    ['/media/card 10/a.mp4', '/media/card 1', false],
    ['/media/Card 1/a.mp4', '/media/card 1', false],
    ['/a', '/', true],
    ['/media/..hidden', '/media', true],
    ['/', '/media', false],
  ])('on Linux: %s in %s is %s', (path, folder, expected) => {
    expect(isWithin(path, folder, 'linux')).toBe(expected);
  });

  it.each([
    ['D:\\Shoot 1\\a.mp4', 'D:\\Shoot 1', true],
    ['D:\\shoot 1\\A.MP4', 'd:\\Shoot 1', true],
    ['D:/Shoot 1/a.mp4', 'D:\\Shoot 1', true],
    ['E:\\Shoot 1\\a.mp4', 'D:\\Shoot 1', false],
    ['D:\\Shoot 10\\a.mp4', 'D:\\Shoot 1', false],
    ['D:\\a.mp4', 'D:\\', true],
    ['\\\\nas\\footage\\a.mp4', '\\\\nas\\footage', true],
    ['\\\\nas\\other\\a.mp4', '\\\\nas\\footage', false],
  ])('on Windows: %s in %s is %s', (path, folder, expected) => {
    expect(isWithin(path, folder, 'win32')).toBe(expected);
  });

  it('on macOS, whatever its capitals', () => {
    expect(isWithin('/Volumes/Card/CLIP.MOV', '/volumes/card', 'darwin')).toBe(true);
    expect(isWithin('/Volumes/Cards/CLIP.MOV', '/volumes/card', 'darwin')).toBe(false);
  });
});
