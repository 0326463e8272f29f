// Who is connected to a service of this process, and how to hang up: the server's library has no word for either.
#include <Rcpp.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <string>
#include <vector>

#ifndef _WIN32
#include <arpa/inet.h>
#include <dirent.h>
#include <netinet/in.h>
#include <sys/socket.h>
#include <unistd.h>
#endif

namespace {

#ifndef _WIN32
struct Address {
  std::string text;  // "127.0.0.1:4711"
  int port = 0;
};

using Ask = int (*)(int, sockaddr*, socklen_t*);

bool address_of(int file, Ask ask, Address& found) {
  sockaddr_storage place{};
  socklen_t length = sizeof place;
  if (ask(file, reinterpret_cast<sockaddr*>(&place), &length) != 0) return false;
  char host[INET6_ADDRSTRLEN] = "";
  if (place.ss_family == AF_INET) {
    const auto* four = reinterpret_cast<const sockaddr_in*>(&place);
    inet_ntop(AF_INET, &four->sin_addr, host, sizeof host);
    found.port = ntohs(four->sin_port);
  } else if (place.ss_family == AF_INET6) {
    const auto* six = reinterpret_cast<const sockaddr_in6*>(&place);
    inet_ntop(AF_INET6, &six->sin6_addr, host, sizeof host);
    found.port = ntohs(six->sin6_port);
  } else {
    return false;
  }
  found.text = std::string(host) + ":" + std::to_string(found.port);
  return true;
}

// The numbers of this process's open files, as Linux and macOS list them.
std::vector<int> open_files() {
  std::vector<int> found;
  DIR* folder = opendir("/dev/fd");
  if (folder == nullptr) return found;
  while (const dirent* entry = readdir(folder)) found.push_back(std::atoi(entry->d_name));
  closedir(folder);
  return found;
}

// `met` is called with each connection that came in at this port, and by whom.
template <typename Met>
void each_connection(int port, Met met) {
  for (const int file : open_files()) {
    Address own, peer;
    if (address_of(file, &getsockname, own) && own.port == port && address_of(file, &getpeername, peer))
      met(file, peer.text);
  }
}
#endif

}  // namespace

// The addresses of those who are connected to this port and can still send; none where the system can't be asked.
// [[Rcpp::export]]
std::vector<std::string> core_connected(int port) {
  std::vector<std::string> found;
#ifndef _WIN32
  each_connection(port, [&](int file, const std::string& peer) {
    char next = 0;
    const auto waiting = recv(file, &next, 1, MSG_PEEK | MSG_DONTWAIT);
    const bool gone = waiting == 0 || (waiting < 0 && errno != EAGAIN && errno != EWOULDBLOCK);
    if (!gone) found.push_back(peer);
  });
#endif
  return found;
}

// Ends what comes from these addresses; the server sees that they are gone, and lets go of what it kept for them.
// [[Rcpp::export]]
void core_hang_up(int port, std::vector<std::string> peers) {
#ifndef _WIN32
  each_connection(port, [&](int file, const std::string& peer) {
    if (std::find(peers.begin(), peers.end(), peer) != peers.end()) shutdown(file, SHUT_RDWR);
  });
#endif
}
