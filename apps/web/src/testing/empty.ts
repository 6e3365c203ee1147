/** Stands in for style sheets: every class is named as it is asked for. */
export default new Proxy({}, { get: (_, name) => String(name) });
