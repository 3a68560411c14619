/** What explains statements, looks at what rows refer to, names what is violated: read when it is first asked for. */
export const onDemand = () => import("./on-demand.js");
