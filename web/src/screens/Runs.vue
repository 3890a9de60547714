<script setup lang="ts">
import { useRuns } from '../api/runs'
import { clock, shortDay } from '../api/words'
import StateWord from '../parts/StateWord.vue'

const store = useRuns()
</script>

<template>
  <div class="screen">
    <div class="head"><h1>Runs</h1></div>
    <div class="body">
      <table v-if="store.runs.length" class="list">
        <thead>
          <tr>
            <th>Run</th>
            <th style="width: 150px">Started</th>
            <th style="width: 110px">State</th>
            <th class="num" style="width: 100px">Documents</th>
            <th class="num" style="width: 100px">Delivered</th>
            <th class="num" style="width: 80px">Failed</th>
            <th class="num" style="width: 80px">Held</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="run in store.runs" :key="run.id">
            <td>
              <RouterLink :to="`/runs/${run.id}`"
                ><b>{{ run.dispatch_name }}</b></RouterLink
              >
              <span class="quiet"> run {{ run.id }}{{ run.kind === 'proof' ? ', proofs' : '' }}</span>
            </td>
            <td class="quiet">{{ shortDay(run.started) }} {{ clock(run.started) }}</td>
            <td><StateWord :state="run.state" /></td>
            <td class="num">{{ run.count }}</td>
            <td class="num">{{ run.delivered }}</td>
            <td class="num">{{ run.failed || '' }}</td>
            <td class="num">{{ run.held || '' }}</td>
          </tr>
        </tbody>
      </table>
      <div v-else class="empty">
        <h2>No runs yet</h2>
        <p>Run a dispatch to see the status of each document here.</p>
        <RouterLink to="/dispatches">Go to Dispatches</RouterLink>
      </div>
    </div>
  </div>
</template>
