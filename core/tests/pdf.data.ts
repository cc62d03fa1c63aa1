/** A page of 200 by 200 points with its content, and further objects from number 5 on. */
export function pdf(content: string, resources = '', more: string[] = []): Buffer {
  const objects = [
    '<< /Type /Catalog /Pages 2 0 R >>',
    '<< /Type /Pages /Kids [3 0 R] /Count 1 >>',
    `<< /Type /Page /Parent 2 0 R /MediaBox [0 0 200 200] /Contents 4 0 R /Resources << ${resources} >> >>`,
    `<< /Length ${content.length} >>\nstream\n${content}\nendstream`,
    ...more,
  ];
  let text = '%PDF-1.7\n';
  const at = objects.map((o, i) => {
    const from = text.length;
    text += `${i + 1} 0 obj\n${o}\nendobj\n`;
    return `${String(from).padStart(10, '0')} 00000 n \n`;
  });
  text += `xref\n0 ${objects.length + 1}\n0000000000 65535 f \n${at.join('')}trailer\n<< /Size ${objects.length + 1} /Root 1 0 R >>\nstartxref\n${text.length}\n%%EOF\n`;
  return Buffer.from(text, 'latin1');
}
