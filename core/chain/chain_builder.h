// The thread on which chains are built and warmed, for any number of runners.
#pragma once

#include <condition_variable>
#include <mutex>
#include <thread>
#include <vector>

namespace reed {

/// One thread that looks after its clients in turn: at once when one calls, and twice a second.
class ChainBuilder {
  public:
    class Client {
      public:
        virtual ~Client() = default;
        /// Builder's thread: one piece of work. True when there is more to do at once.
        virtual bool tend() = 0;
    };

    ChainBuilder();
    ~ChainBuilder();
    ChainBuilder(const ChainBuilder&) = delete;
    ChainBuilder& operator=(const ChainBuilder&) = delete;

    void add(Client& client);
    /// Returns after the last call of the client has ended. Not from a client.
    void remove(Client& client);
    /// Any thread but the audio thread: there is something to do.
    void call();

  private:
    void run();
    std::mutex mutex_;
    std::condition_variable wake_, idle_;
    std::vector<Client*> clients_;
    const Client* at_work_ = nullptr;
    bool called_ = false, quit_ = false;
    std::thread thread_;
};

}  // namespace reed
