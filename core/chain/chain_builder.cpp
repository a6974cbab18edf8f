#include "chain/chain_builder.h"

#include <algorithm>
#include <chrono>

namespace reed {

ChainBuilder::ChainBuilder() : thread_([this] { run(); }) {}

ChainBuilder::~ChainBuilder() {
    {
        const std::lock_guard lock(mutex_);
        quit_ = true;
    }
    wake_.notify_all();
    thread_.join();
}

void ChainBuilder::add(Client& client) {
    const std::lock_guard lock(mutex_);
    clients_.push_back(&client);
}

void ChainBuilder::remove(Client& client) {
    std::unique_lock lock(mutex_);
    std::erase(clients_, &client);
    idle_.wait(lock, [&] { return at_work_ != &client; });
}

void ChainBuilder::call() {
    {
        const std::lock_guard lock(mutex_);
        called_ = true;
    }
    wake_.notify_all();
}

void ChainBuilder::run() {
    std::unique_lock lock(mutex_);
    while (!quit_) {
        // Twice a second without a call as well: chains that have faded out are to be freed.
        wake_.wait_for(lock, std::chrono::milliseconds(500), [this] { return quit_ || called_; });
        called_ = false;
        // One piece of work each, so that none waits for all of another's; clients may come and go meanwhile.
        for (size_t i = 0; i < clients_.size() && !quit_; ++i) {
            Client* client = clients_[i];
            at_work_ = client;
            lock.unlock();
            const bool more = client->tend();
            lock.lock();
            at_work_ = nullptr;
            called_ = called_ || more;
            idle_.notify_all();
        }
    }
}

}  // namespace reed
