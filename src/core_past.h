// History of a job, read node by node and task by task, so that a draw can continue from there. No R in here.
#pragma once
#include "core_simulate.h"

namespace clockpigeon {

class Record {
 public:
  Record(const Past &past, const Way &way, int tasks);

  struct Node {
    ticks up = kNever, load_from = kNever, loaded = kNever;  // of its present life, where that is known
    bool starts = false, loads = false;                      // that is running
    bool gone = false;                                       // and not replaced
    int life = 0;                                            // how many times it was replaced
    ticks lost = 0, noticed = 0;                             // when its life before was over, and seen to be
    ticks ended = -1;                                        // its last task; -1: none
    int task = -1;                                           // running, taken at `from`
    ticks from = 0;
    ticks idle_from = -1, idle_to = -1;                      // it waits until then
    std::vector<std::pair<unsigned, ticks>> other;           // what it did that was no task, and until when
    bool did(unsigned activity, ticks to) const {
      return std::find(other.begin(), other.end(), std::make_pair(activity, to)) != other.end();
    }
  };
  struct Prepass {
    int node;
    ticks from, to;  // kNever: running
  };

  const Past &past() const { return *past_; }

  std::vector<Node> node;
  std::vector<ticks> done;                      // when each task ended; kNever where it did not
  std::vector<int> failures;                    // runs of it that came to nothing
  std::vector<char> given_up, taken;            // it failed as often as is allowed; no node needs to take it
  std::vector<std::pair<ticks, int>> again;     // lost with a node: since when it can be taken, which
  std::vector<Prepass> prepass;                 // in the order in which they began
  int aborted = 0;

 private:
  void read(const Span &s, const Way &way);
  void lose(const Loss &loss, const Way &way);
  const Past *past_;
};

}  // namespace clockpigeon
