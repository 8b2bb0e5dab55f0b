/** A picture with its size in points, in a form that files take. */
export interface PictureRead {
  readonly type: 'png' | 'jpg' | 'gif';
  readonly bytes: Uint8Array;
  readonly width: number;
  readonly height: number;
}
/** A picture by its address; undefined where it is none of ours, or in no form that files take. */
export type FindPicture = (address: string) => PictureRead | undefined;
