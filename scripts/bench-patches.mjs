// Patches: the sparse solver beside Eigen's, as rigid as possible beside CGAL's, in the same run. Peers are compiled from the text below with Debian's g++,
// libeigen3-dev and libcgal-dev where these are installed; else they are left out.
import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Cholesky } from '../core/dist/sparse/cholesky.js';
import { dissected } from '../core/dist/sparse/order.js';
import { neighboursOf } from '../core/dist/patches/system.js';
import { restOf, stretchOf } from '../core/dist/patches/rest.js';
import { conformalFlat } from '../core/dist/patches/conformal.js';
import { flippedOn, rigidFlat, usualRigid } from '../core/dist/patches/rigid.js';

/** A cap of a sphere: rings of 6, 12, 18 ... points. */
function cap(degrees, rings, radius) {
  const a = (degrees * Math.PI) / 180;
  const positions = [0, 0, radius];
  const triangles = [];
  const at = (k, i) => (k === 0 ? 0 : 1 + 3 * k * (k - 1) + (((i % (6 * k)) + 6 * k) % (6 * k)));
  for (let k = 1; k <= rings; k++)
    for (let i = 0; i < 6 * k; i++) {
      const [down, turn] = [(a * k) / rings, (2 * Math.PI * i) / (6 * k)];
      positions.push(radius * Math.sin(down) * Math.cos(turn), radius * Math.sin(down) * Math.sin(turn), radius * Math.cos(down));
    }
  for (let k = 1; k <= rings; k++)
    for (let s = 0; s < 6; s++)
      for (let j = 0; j < k; j++) {
        const [outer, inner] = [s * k + j, s * (k - 1) + j];
        triangles.push(at(k - 1, inner), at(k, outer), at(k, outer + 1));
        if (j < k - 1) triangles.push(at(k - 1, inner), at(k, outer + 1), at(k - 1, inner + 1));
      }
  return { positions: Float64Array.from(positions), triangles: Uint32Array.from(triangles) };
}

/** The graph of a mesh as a matrix: degrees and a little on the diagonal, -1 beside it. */
function laplacian({ positions, triangles }) {
  const n = positions.length / 3;
  const { starts, others } = neighboursOf(triangles, n);
  const at = new Int32Array(n + 1);
  const [rows, values] = [[], []];
  for (let v = 0; v < n; v++) {
    rows.push(v);
    values.push(starts[v + 1] - starts[v] + 0.01);
    for (let k = starts[v]; k < starts[v + 1]; k++) {
      if (others[k] < v) continue;
      rows.push(others[k]);
      values.push(-1);
    }
    at[v + 1] = rows.length;
  }
  return { n, graph: { starts, others }, pattern: { n, starts: at, rows: Int32Array.from(rows) }, values: Float64Array.from(values) };
}

const eigen = `#include <Eigen/Sparse>
#include <chrono>
#include <fstream>
#include <iostream>
int main(int, char **v) { std::ifstream in(v[1]); int n, m; in >> n >> m; std::vector<Eigen::Triplet<double>> t;
  for (int k = 0; k < m; k++) { int i, j; double x; in >> i >> j >> x; t.emplace_back(i, j, x); }
  Eigen::SparseMatrix<double> A(n, n); A.setFromTriplets(t.begin(), t.end()); Eigen::MatrixXd b = Eigen::MatrixXd::Ones(n, 2); Eigen::SimplicialLLT<Eigen::SparseMatrix<double>> s; s.analyzePattern(A);
  auto now = [] { return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now().time_since_epoch()).count(); };
  double f = 1e9, g = 1e9; for (int r = 0; r < 5; r++) { double a = now(); s.factorize(A); double c = now(); Eigen::MatrixXd x = s.solve(b); double d = now(); f = std::min(f, c - a); g = std::min(g, d - c); }
  std::cout << f << " " << g << std::endl; }`;
const cgal = `#include <CGAL/Simple_cartesian.h>
#include <CGAL/Surface_mesh.h>
#include <CGAL/Surface_mesh_parameterization/ARAP_parameterizer_3.h>
#include <CGAL/Surface_mesh_parameterization/parameterize.h>
#include <CGAL/Polygon_mesh_processing/measure.h>
#include <CGAL/Eigen_solver_traits.h>
#include <chrono>
#include <fstream>
#include <iostream>
typedef CGAL::Simple_cartesian<double> K; typedef CGAL::Surface_mesh<K::Point_3> SM; namespace P = CGAL::Surface_mesh_parameterization;
int main(int, char **v) { SM m; std::ifstream in(v[1]); in >> m; auto h = CGAL::Polygon_mesh_processing::longest_border(m).first; auto uv = m.add_property_map<SM::Vertex_index, K::Point_2>("v:uv").first;
  typedef P::Two_vertices_parameterizer_3<SM> B; typedef P::ARAP_parameterizer_3<SM, B> A; auto a = std::chrono::steady_clock::now();
  P::parameterize(m, A(B(), A::Solver_traits(), 1000, atoi(v[2]), atof(v[3])), h, uv); std::cerr << std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - a).count() << std::endl;
  std::cout.precision(17); for (auto x : m.vertices()) std::cout << get(uv, x).x() << " " << get(uv, x).y() << "\\n"; }`;

/** A peer compiled; null where its library is not installed. */
function compiled(folder, name, text, header, flags) {
  if (!existsSync(header) || !existsSync('/usr/bin/g++')) return null;
  writeFileSync(join(folder, `${name}.cpp`), text);
  execFileSync('/usr/bin/g++', ['-O2', '-DNDEBUG', '-I/usr/include/eigen3', join(folder, `${name}.cpp`), '-o', join(folder, name), ...flags]);
  return join(folder, name);
}

const off = ({ positions, triangles }) =>
  `OFF\n${positions.length / 3} ${triangles.length / 3} 0\n${Array.from({ length: positions.length / 3 }, (_, i) => positions.slice(3 * i, 3 * i + 3).join(' ')).join('\n')}\n${Array.from({ length: triangles.length / 3 }, (_, i) => `3 ${triangles.slice(3 * i, 3 * i + 3).join(' ')}`).join('\n')}\n`;

export function benchPatches({ row, ms }) {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kite-peers-'));
  const best = (n, work) => {
    let least = Infinity;
    for (let i = 0; i < n; i++) {
      const from = performance.now();
      work();
      least = Math.min(least, performance.now() - from);
    }
    return least;
  };
  const large = cap(50, 129, 500);
  const { n, graph, pattern, values } = laplacian(large);
  const factor = new Cholesky(pattern, dissected(graph, large.positions, 3));
  const f = best(6, () => factor.factor(values));
  const right = new Float64Array(2 * n).fill(1);
  const s = best(8, () => factor.solve(right.slice(), 2));
  const solver = compiled(folder, 'eigen', eigen, '/usr/include/eigen3/Eigen/Sparse', []);
  let [ef, es] = [null, null];
  if (solver) {
    const entries = [];
    for (let j = 0; j < n; j++) for (let k = pattern.starts[j]; k < pattern.starts[j + 1]; k++) entries.push(`${pattern.rows[k]} ${j} ${values[k]}`);
    writeFileSync(join(folder, 'matrix'), `${n} ${entries.length}\n${entries.join('\n')}\n`);
    [ef, es] = execFileSync(solver, [join(folder, 'matrix')], { encoding: 'utf8' })
      .trim()
      .split(' ')
      .map(Number);
  }
  row(
    `${n.toLocaleString('en')} unknowns factored`,
    ms(f),
    ef === null ? 'Eigen not here' : `Eigen's SimplicialLLT ${ms(ef)}`,
    ef === null ? null : f / ef,
    '<= 4',
    ef === null ? null : f / ef <= 4,
  );
  row(
    'two right sides solved',
    ms(s),
    es === null ? 'Eigen not here' : `Eigen ${ms(es)}`,
    es === null ? null : s / es,
    '<= 4',
    es === null ? null : s / es <= 4,
  );
  const cpu = process.cpuUsage();
  const made = restOf(large).rest;
  const { flat, rounds } = rigidFlat(large, made, conformalFlat(large, made), usualRigid);
  const used = process.cpuUsage(cpu);
  const seconds = (used.user + used.system) / 1e6;
  row(
    `${(large.triangles.length / 3).toLocaleString('en')} triangles flattened, ${rounds} rounds, ${flippedOn(flat, large.triangles)} flips`,
    `${seconds.toFixed(1)} CPU-s`,
    '',
    null,
    '<= 5 CPU-s',
    seconds <= 5,
  );
  const small = cap(30, 41, 100);
  const rest = restOf(small).rest;
  // The same number of rounds as CGAL takes, from the same kind of start.
  const own = best(4, () => rigidFlat(small, rest, conformalFlat(small, rest), { lambda: 1000, enough: 1e-6, most: 50 }));
  const peer = compiled(folder, 'cgal', cgal, '/usr/include/CGAL/Surface_mesh_parameterization/ARAP_parameterizer_3.h', [
    '-DCGAL_EIGEN3_ENABLED',
    '-lgmp',
    '-lmpfr',
  ]);
  if (!peer) return row('10,086 triangles as rigid as possible', ms(own), 'CGAL not here', null, '5 times faster', null);
  writeFileSync(join(folder, 'cap.off'), off(small));
  const run = (most, enough) =>
    execFileSync('/bin/sh', ['-c', `${peer} ${join(folder, 'cap.off')} ${most} ${enough} 2>${join(folder, 'time')}`], { encoding: 'utf8', maxBuffer: 1e8 });
  run(50, 1e-6);
  const theirs = Math.min(...[0, 1, 2].map(() => (run(50, 1e-6), Number(readFileSync(join(folder, 'time'), 'utf8')))));
  row('10,086 triangles as rigid as possible', ms(own), `CGAL's ${ms(theirs)}`, own / theirs, '<= 0.2', own / theirs <= 0.2);
  const uv = Float64Array.from(run(5000, 1e-16).trim().split(/\s+/), Number);
  const ours = rigidFlat(small, rest, conformalFlat(small, rest), { lambda: 1000, enough: 1e-16, most: 5000 }).flat;
  const [a, b] = [stretchOf(rest, small.triangles, ours), stretchOf(rest, small.triangles, uv)];
  const apart = Math.max(Math.abs(a.largest - b.largest), Math.abs(a.least - b.least));
  return row('largest and least stretch, ours and CGAL’s, apart by', apart.toExponential(1), '', null, '<= 1e-6', apart <= 1e-6);
}
