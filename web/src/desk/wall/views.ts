/** The views of the wall. */
export const views = ['day', 'week', 'month'] as const;
export type View = (typeof views)[number];
export const viewNames: Record<View, string> = { day: 'Day', week: 'Week', month: 'Month' };
