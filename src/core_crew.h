// The nodes of one draw: when each is free, how fast it is, and the stages until frames can be rendered. No R in here.
#pragma once
#include <functional>
#include "core_account.h"
#include "core_past.h"
#include "core_random.h"

namespace clockpigeon {

// One draw of a time that varies, in seconds.
double draw_varying(const Varying &s, random_stream &random);

// The nodes that are free, first the one that is free first; a tie goes to the lower number.
class NodeHeap {
 public:
  explicit NodeHeap(int bits) : bits_(bits) {}
  void clear() { keys_.clear(); }
  bool empty() const { return keys_.empty(); }
  ticks time() const { return keys_[0] >> bits_; }
  int node() const { return int(keys_[0] & ((ticks(1) << bits_) - 1)); }
  void push(ticks t, int node) {
    keys_.push_back(t << bits_ | node);
    std::push_heap(keys_.begin(), keys_.end(), std::greater<ticks>());
  }
  void pop() {
    std::pop_heap(keys_.begin(), keys_.end(), std::greater<ticks>());
    keys_.pop_back();
  }
  // The first node is free again at t.
  void put_back(ticks t) {
    const ticks key = t << bits_ | node();
    const std::size_t n = keys_.size();
    std::size_t i = 0;
    for (std::size_t c = 1; c < n; c = 2 * i + 1) {
      if (c + 1 < n) c += keys_[c + 1] < keys_[c];
      if (key <= keys_[c]) break;
      keys_[i] = keys_[c];
      i = c;
    }
    keys_[i] = key;
  }

 private:
  int bits_;
  std::vector<ticks> keys_;
};

// Common state of a draw, and its nodes, once they are loaded and the pre-pass is over.
class Crew {
 public:
  explicit Crew(const Way &way);

  // Draws the stages before the frames, and notes what each node did in them; what `record` (or null) knows stands.
  void begin(int draw, const Record *record, Account &account);

  // Restart of a node that was replaced `life` times, after that was noticed at `t`: the moment at which it is
  // ready.
  ticks begin_again(int node, int life, int draw, ticks t, const Record::Node *known, Account &account) const;

  // Every life of a node has separate streams, so that it does not depend on other nodes' losses: one for its end,
  // one for its start.
  random_stream life_stream(int node, int life, int draw, bool start = false) const {
    return random_stream(way_.streams.vanish + 7919 * (2 * uint64_t(node + 4096 * life) + start), uint64_t(draw) + 1);
  }

  // When the stages before the frames were over.
  struct Stages {
    ticks prepared, sent, hired, started, prepassed;
  };

  int bits;  // of a node's number in a heap's keys
  NodeHeap heap;
  std::vector<double> speed;     // of each node
  std::vector<ticks> free;       // when it has nothing to do
  double common = 1, link = 0;   // speed of all nodes together; bytes a second of the link
  double encode = 0, merge = 0;  // seconds of the stages after
  Stages at{};

 private:
  bool cancelled();
  void prepass(random_stream &job, const Record *record, Account &account);
  const Way &way_;
};

}  // namespace clockpigeon
