/** How far down the bars of `ViewBar` reach, pixels: what is shown whole stands below. */
export const BARS = 80
