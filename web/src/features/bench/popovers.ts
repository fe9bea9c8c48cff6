/** Where popovers of the sheet may be, px: the strip with Solve at the foot stays free. */
export const CLEAR_OF_SOLVE = { top: 12, right: 12, bottom: 86, left: 12 };
