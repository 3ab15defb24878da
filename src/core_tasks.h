// The tasks of one draw on its nodes: list scheduling, runs that fail, nodes that are lost. No R in here.
#pragma once
#include "core_crew.h"

namespace clockpigeon {

class Tasks {
 public:
  Tasks(const Frames &frames, const Way &way)
      : way_(way),
        count_(frames.frames * way.parts),
        done(count_),
        failures(count_, 0),
        given_up(count_, 0),
        elsewhere(count_, 0),
        failed_(count_, 0),
        death_(way.nodes, kNever),
        frozen_(way.nodes, 0),
        life_(way.nodes, 0) {}

  // Runs all tasks of a draw that are left to do; `seconds` are of its frames in its lane. `record` is what has
  // happened, or null.
  void run(int draw, const double *seconds, int lane, const Record *record, Crew &crew, Account &account);

  int count() const { return count_; }

 private:
  const Way &way_;
  int count_;

 public:
  std::vector<ticks> done;     // when each task ended; kNever where it did not
  std::vector<int> failures;   // runs of it that came to nothing
  std::vector<char> given_up;  // it failed as often as is allowed
  std::vector<char> elsewhere;  // it is not for these nodes
  int aborted = 0;             // runs that ended with their node

 private:
  void draw_failures(int draw);
  void schedule(const double *seconds, int lane, const Record *record, Crew &crew, Account &account);
  int go_on(const Record &record, Crew &crew, Account &account);
  void deal_ranges();
  void begin_life(int node, int life, ticks from, const Crew &crew);
  int take(int node, ticks t, bool &wait);
  bool is_left(int node, ticks t);
  int &fresh_of(int node);
  int stop_of(int node) const;
  int drop_rest();
  void lose_node(int node, int task, ticks from, Crew &crew, Account &account);
  ticks duration(const double *seconds, int lane, int task, double speed) const;

  std::vector<double> failed_;  // time of its failed runs, in its own time
  std::vector<ticks> death_;    // when a node vanishes or freezes
  std::vector<char> frozen_;
  std::vector<int> life_;  // how many times it was replaced
  int draw_ = 0;
  std::vector<char> taken_;  // tasks that no node needs to take
  std::vector<int> under_way_;  // of each node: the task that it had at the moment, or -1
  std::vector<std::pair<ticks, int>> again_;   // tasks to be taken again, from when on
  std::vector<std::pair<ticks, int>> parked_;  // nodes with nothing to do
  std::vector<int> next_, stop_;               // of ranges: each node's own run of tasks
  int fresh_ = 0;                              // the first free task
};

}  // namespace clockpigeon
