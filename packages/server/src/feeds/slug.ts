/** Letters, digits and hyphens, for addresses. */
export function slugOf(title: string): string {
  const slug = title
    .normalize('NFKD')
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, '-')
    .replaceAll(/^-+|-+$/g, '')
    .slice(0, 60);
  return slug === '' ? 'features' : slug;
}
