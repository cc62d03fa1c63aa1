// Loaded into every process of a run under test: writes down where connections and questions for names go.
import dgram from 'node:dgram';
import dns from 'node:dns';
import { appendFileSync } from 'node:fs';
import net from 'node:net';

const note = (kind, host) => appendFileSync(process.env.CONNECTIONS_FILE, `${kind} ${host}\n`);

const { connect } = net.Socket.prototype;
net.Socket.prototype.connect = function (...args) {
  const [first] = Array.isArray(args[0]) ? args[0] : args;
  if (typeof first === 'object' && first !== null) note('connect', first.path ? 'a path' : (first.host ?? 'localhost'));
  else note('connect', typeof first === 'string' ? 'a path' : typeof args[1] === 'string' ? args[1] : 'localhost');
  return connect.apply(this, args);
};
const { lookup } = dns;
dns.lookup = (host, ...more) => (note('lookup', host), lookup(host, ...more));
const { send } = dgram.Socket.prototype;
dgram.Socket.prototype.send = function (...args) {
  note('send', args.find((a) => typeof a === 'string') ?? 'localhost');
  return send.apply(this, args);
};
