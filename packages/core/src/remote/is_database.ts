/** Whether what a person typed is about a database: its address, or its parts as `host=… dbname=…`. */
export const isDatabase = (text: string): boolean => /^\s*(postgres(ql)?:\/\/|(host|dbname|user|port)\s*=)/i.test(text);
