import { describe, expect, it } from 'vitest';
import { mountsFrom } from './mounts.js';
import { drivesAmong } from './places.js';

/** A mount table of a desktop, in the form of proc(5). */
const TABLE = [
  '22 1 259:2 / / rw,relatime shared:1 - ext4 /dev/nvme0n1p2 rw',
  '23 22 259:1 / /boot/efi rw - vfat /dev/nvme0n1p1 rw',
  '24 22 0:21 / /proc rw - proc proc rw',
  '25 22 0:25 / /run/user/1000 rw - tmpfs tmpfs rw',
  '26 22 7:1 / /snap/core/1 ro - squashfs /dev/loop1 ro',
  '27 22 8:1 / /home rw - ext4 /dev/sda1 rw',
  '28 22 8:17 / /media/anna/Card\\0401 rw - exfat /dev/sdb1 rw',
  '29 22 8:33 / /run/media/anna/RAID rw - xfs /dev/sdc1 rw',
  '30 22 0:50 / /data/shared rw - nfs4 nas:/footage rw',
  '31 22 0:51 / /mnt/usb rw - ntfs3 /dev/sdd1 rw',
  '32 22 0:52 / /mnt/tools/env/v1 rw - overlay overlay rw',
].join('\n');

describe('drives that somebody looks for footage on', () => {
  it('are mounts outside the folders of the system', () => {
    expect(drivesAmong(mountsFrom(TABLE))).toEqual([
      '/data/shared',
      '/home',
      '/media/anna/Card 1',
      '/mnt/usb',
      '/run/media/anna/RAID',
    ]);
  });
});
