/** Whether a text begins as XML does. */
export const isXml = (text: string): boolean => /^<(\?xml|kml|gpx|!--|!DOCTYPE)/i.test(text);
