// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/token.h"

#include <sodium.h>

#include "core/base/error.h"
#include "core/base/input_file.h"

namespace imprimo::probe {

Bytes tokenProof(const std::string& token, ByteSpan nonce) {
  crypto_auth_hmacsha512_state state;
  crypto_auth_hmacsha512_init(&state, reinterpret_cast<const unsigned char*>(token.data()), token.size());
  crypto_auth_hmacsha512_update(&state, nonce.data(), nonce.size());
  Bytes proof(crypto_auth_hmacsha512_BYTES);
  crypto_auth_hmacsha512_final(&state, proof.data());
  proof.resize(32);
  return proof;
}

std::string readTokenFile(const std::filesystem::path& path) {
  std::string token = readTextFile(path, kTokenFile);
  if (token.ends_with('\n')) token.pop_back();
  if (token.ends_with('\r')) token.pop_back();
  if (token.empty()) throw Error(ErrorKind::BadFile, path.string() + " holds no token");
  return token;
}

}  // namespace imprimo::probe
