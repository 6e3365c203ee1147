import type { FieldDifferenceBody } from '@flail/contract';
import type { FieldDifference } from '@flail/core';

/** A difference as the API tells it. */
export const differenceBody = ({ shift, values, ...difference }: FieldDifference): FieldDifferenceBody => ({
  ...difference,
  values,
  ...(shift && { shift }),
});
