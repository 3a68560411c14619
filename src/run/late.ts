/** What explains statements: read when a plan is first asked for. */
export const explaining = () => import("./explaining.js");
