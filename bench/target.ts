// The target of the benches: nginx with one worker and one small JSON answer, so that it is never the slower side. It
// answers at three addresses: plain, and over TLS by HTTP/1.1 and by HTTP/2; /large is answered with 20 kB.
import { spawn } from 'node:child_process'
import { chmodSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { connect, createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { generate } from 'selfsigned'

const body = JSON.stringify({ sailings: [{ id: 'LARKHOLM_OSTREY_2026-06-01_0710', places: 180 }] })
const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-target-'))
const { private: key, cert } = await generate([{ name: 'commonName', value: 'localhost' }], { keySize: 2048 })
writeFileSync(join(folder, 'key.pem'), key)
writeFileSync(join(folder, 'cert.pem'), cert)

const [plain, secured, second] = [await freePort(), await freePort(), await freePort()]
// Its worker runs as somebody else.
chmodSync(folder, 0o755)
writeFileSync(join(folder, 'large'), 'x'.repeat(20_000))
const answers = `default_type application/json; location / { return 200 '${body}'; }
  location = /large { alias ${folder}/large; }`
const secure = `ssl_certificate ${folder}/cert.pem; ssl_certificate_key ${folder}/key.pem;`
writeFileSync(
  join(folder, 'nginx.conf'),
  `daemon off; worker_processes 1; pid ${folder}/pid; error_log stderr crit;
events { worker_connections 4096; multi_accept on; }
http {
  access_log off; tcp_nodelay on; keepalive_timeout 600s; keepalive_requests 1000000000;
  client_body_temp_path ${folder}/a; proxy_temp_path ${folder}/b; fastcgi_temp_path ${folder}/c;
  uwsgi_temp_path ${folder}/d; scgi_temp_path ${folder}/e;
  server { listen 127.0.0.1:${plain}; ${answers} }
  server { listen 127.0.0.1:${secured} ssl; ${secure} ${answers} }
  server { listen 127.0.0.1:${second} ssl http2; ${secure} ${answers} }
}`,
)
const server = spawn('nginx', ['-p', folder, '-c', join(folder, 'nginx.conf')], {
  stdio: ['ignore', 'inherit', 'inherit'],
  env: { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin` },
})
const stop = () => {
  server.kill('SIGTERM')
  rmSync(folder, { recursive: true, force: true })
  process.exit(0)
}
process.on('SIGTERM', stop).on('SIGINT', stop)
server.on('exit', stop)
await listening(plain)
process.stdout.write(`answers at ${[plain, secured, second].map((port) => `127.0.0.1:${port}`).join(' ')}\n`)

function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const address = probe.address()
      probe.close(() => {
        resolve(address !== null && typeof address === 'object' ? address.port : 0)
      })
    })
  })
}

async function listening(port: number): Promise<void> {
  for (;;) {
    const isThere = await new Promise<boolean>((resolve) => {
      const socket = connect(port, '127.0.0.1', () => {
        socket.destroy()
        resolve(true)
      })
      socket.on('error', () => {
        resolve(false)
      })
    })
    if (isThere) return
    await sleep(20)
  }
}
